"""How it looks.

- `colours`: the dyes, the two themes, and the one that is worn.
- `felt`: wool, dials, stitches, sewn lines.
- `fonts`: one for what is read, one for names.
"""
