"""What lies on the benches: always what a layer plays, so that every edit is heard, and undone like any other.

- `drafts`: what is heard before it is kept; cleared when the program starts.
- `recording`: the recording of a layer, the steps that made it, and the part of it that is chosen.
- `table`: the table of a layer, how it is made, and the frame under the hand.
- `work`: What both benches are about: one layer of the patch on the table, and what it plays.
"""
