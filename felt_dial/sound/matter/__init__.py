"""Recordings and tables.

- `analysis`: which partials they are made of.
- `assets`: recordings kept by their content, found in any of the folders that may hold them.
- `audio_file`: every format the library reads, checked, with the loops and root key they carry.
- `cycles`: Cycles of a pitched recording, one after the other, as the frames of a table.
- `kept`: What was made ready from recordings and tables: what is in use is never made twice, and the latest of the
  rest stay.
- `residue`: The noise of a recording between its partials, told by how loud it is in bands of half an octave.
- `root`: At which key a recording sounds, and how sure that is: the one answer that loader, drawer, benches and
  command line give.
- `strikes`: Strikes of a recording, and how loud its bands are between them.
- `tables`: The wavetables and recordings that come with the program.
- `wav`: 32-bit float, equal bytes for equal sounds (no time stamp, as some writers leave one).
"""
