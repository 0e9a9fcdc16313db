"""The library: banks, presets, and what is known of them.

- `aiming`: a recording is made ready to be compared with, and sounds are rendered and measured against it.
- `apart`: What is said of a sound that live is not what a render of it will be: how far, where, and by which module.
- `arrival`: What a bank file would bring, before anything is written; and what a receiver of a bank would miss,
  before it is sent.
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
- `hearing`: Hearing a sound without a person: one note of it, and how loud a sound is. It renders, so it is for
  helpers.
- `hearing_apart`: how far a sound as it is played lies from what a render of it will be, and what makes it so.
- `index`: what was measured, by content. It can always be made anew.
- `journal`: unsaved work, written as it is done, kept until it is saved or the person answers what becomes of it.
- `library`: banks as folders, a bin, and the recordings that no bank needs yet.
- `matter`: every recording and table that ships, of the library, and of folders that the person adds, as rows.
- `measure_worker`: A worker that measures presets: renders what it is sent, until the window is gone.
- `measurement`: its loudness, its peak and its swatch, from a render with the phrase of its kind.
- `measuring`: Measuring in the background: worker processes render while the window works and the sound plays.
- `names`: from the words that a bank's own presets are called by, and never one that is taken.
- `offshoots`: variations grown from a sound. What may change, how a child is made, how children are spread and laid
  out.
- `opened`: When a person last opened which preset: for what is recent, and for what nobody has listened to yet.
- `package`: a bank as one file, a zip of its folder.
- `phrases`: a person's own, those that come with the program, and those that a preset or a file brought along.
- `places`: Where things are kept on this machine, and the settings of the person.
- `previews`: what was rendered to measure a sound, kept so that it can be listened to at once. They can be made anew.
- `renaming`: `{n:02} {name}`, find and replace, and the case of letters.
- `search`: What is typed into the search: words, and simple filters such as `kind:pad -drum uses:grains cost<0.1
  unnamed`.
- `snippets`: the settings of one module under a name, to be given to another of its kind; chains: effects in their
  order.
- `towards`: how near a sound is to one, and the search for the dials that bring it nearer.
- `unused`: Recordings of the library that nothing uses any more: listed, and cleaned only when somebody asks for it.
"""
