"""The library: banks, presets, and what is known of them.

- `bank`: one folder of presets, their order, their last versions, and the recordings that they need.
- `bin`: deleted presets and banks, each in a folder with where it stood, what it was before, and when it was deleted.
- `catalogue`: what stands in the library, as rows, so that nobody has to read all files to list or search them.
- `compare`: what is different between two patches, in words, and taking one module of one into the other.
- `documents`: the presets that lie, or lay, on the table, and what disk holds of each now.
- `features`: what is measured of a sound so that one can be said to be like another, and how far two are apart.
- `figures`: what is known of the loudness and the look of sounds, and what is still to be measured.
- `follow`: what changes in it, by whomever, is read into the catalogue beside the work of the window.
- `growing`: children are rendered until they are as far as wished, and those that are silent, wild or out of tune
  thrown away.
- `index`: what was measured, by content. It can always be made anew.
- `journal`: unsaved work, written as it is done, kept until it is saved or the person answers what becomes of it.
- `library`: banks as folders, a bin, and the recordings that no bank needs yet.
- `matter`: every recording and table that ships, of the library, and of folders that the person adds, as rows.
- `measure_worker`: The worker that measures presets: renders what it is sent, until the window is gone.
- `measurement`: its loudness, its peak and its swatch, from a render with the phrase of its kind.
- `measuring`: Measuring in the background: a worker process renders while the window works and the sound plays.
- `names`: from the words that a bank's own presets are called by, and never one that is taken.
- `offshoots`: variations grown from a sound. What may change, how a child is made, how children are spread and laid
  out.
- `package`: a bank as one file, a zip of its folder.
- `places`: Where things are kept on this machine, and the settings of the person.
- `renaming`: `{n:02} {name}`, find and replace, and the case of letters.
- `search`: What is typed into the search: words, and simple filters such as `kind:pad -drum uses:grains macro:bright
  layers<3 unnamed`.
- `snippets`: the settings of one module under a name, to be given to another of its kind.
- `unused`: Recordings of the library that nothing uses any more: listed, and cleaned only when somebody asks for it.
"""
