"""The library: banks, presets, and what is known of them.

- `files`: Files written whole or not at all, and names that are safe as file names.
- `index`: what was measured, by content, and every word one may search for. It can always be made anew.
- `journal`: unsaved work, written as it is done and offered again after a crash.
- `library`: banks as folders, presets as files, a bin, and the last versions of everything.
- `measure_worker`: The worker that measures presets: renders what it is sent, until the window is gone.
- `measurement`: its loudness, its peak and its swatch, from a render with the phrase of its kind.
- `measuring`: Measuring in the background: a worker process renders while the window works and the sound plays.
- `package`: a bank as one file, a zip of its folder.
- `places`: Where things are kept on this machine, and the settings of the person.
- `snippets`: the settings of one module under a name, to be given to another of its kind.
"""
