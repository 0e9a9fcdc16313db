"""Listing, searching and comparing what there is.

- `catalogue`: what stands in the library, as rows, so that nobody has to read all files to list or search them.
- `compare`: what is different between two patches, in words, and taking one module of one into the other.
- `follow`: what changes in it, by whomever, is read into the catalogue beside the work of the window.
- `matter`: every recording and table that ships, of the library, and of folders that the person adds, as rows.
- `names`: from the words that a bank's own presets are called by, and never one that is taken.
- `search`: What is typed into the search: words, and simple filters such as `kind:pad -drum uses:grains cost<0.1
  unnamed`.
"""
