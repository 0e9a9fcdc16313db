"""Eight numbers at once; README.md says how.

- `arithmetic`: Powers and tangents of eight lanes at once: short series, where the library's functions take one
  number at a time.
- `lanes`: Four voices of two channels side by side in eight lanes: how they come there, and how they come back.
- `memory`: How lanes come from memory and go back to it: rows of eight, tables that are looked up, and lines that are
  turned.
- `types`: eight numbers side by side that a processor works on at once, as one value in a kernel.
"""
