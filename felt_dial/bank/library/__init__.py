"""Banks, presets and what belongs to them, as files.

- `bank`: one folder of presets, their order, their last versions, and the recordings that they need.
- `bin`: deleted presets and banks, each in a folder with where it stood, what it was before, and when it was deleted.
- `documents`: the presets that lie, or lay, on the table, and what disk holds of each now.
- `import_preview`: What a bank file would bring, before anything is written; and what a receiver of a bank would
  miss, before it is sent.
- `journal`: unsaved work, written as it is done, kept until it is saved or the person answers what becomes of it.
- `library`: banks as folders, a bin, and the recordings that no bank needs yet.
- `opened`: When a person last opened which preset: for what is recent, and for what nobody has listened to yet.
- `package`: a bank as one file, a zip of its folder.
- `phrases`: a person's own, those that come with the program, and those that a preset or a file brought along.
- `places`: Where things are kept on this machine, and the settings of the person.
- `previews`: what was rendered to measure a sound, kept so that it can be listened to at once. They can be made anew.
- `renaming`: `{n:02} {name}`, find and replace, and the case of letters.
- `snippets`: the settings of one module under a name, to be given to another of its kind; chains: effects in their
  order.
- `sqlite_file`: What is wrong with a file of SQLite: that another holds it is no damage.
- `unused`: Recordings of the library that nothing uses any more: listed, and cleaned only when somebody asks for it.
"""
