"""How it looks.

- `colours`: the dyes, the two themes, and the one that is worn.
- `felt`: wool, dials, stitches, sewn lines.
- `fonts`: one for what is read, one for names.
- `words`: what people call things is shown as it is written, and never read as markup or as a key of a menu.
"""
