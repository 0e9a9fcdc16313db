"""Recordings and tables.

- `analysis`: which key they sound at, and which partials they are made of.
- `assets`: recordings kept by their content, found in any of the folders that may hold them.
- `audio_file`: every format the library reads, checked, with the loops and root key they carry.
- `tables`: The wavetables that come with the program.
- `wav`: 32-bit float, equal bytes for equal sounds (no time stamp, as some writers leave one).
"""
