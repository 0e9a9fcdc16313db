"""The panel on the right of the Patch page.

- `layer_settings`: Parts of the inspector about a layer among others: what modulates it, when it plays, how the patch
  is tuned.
- `level_shaper`: The level over time of a layer or a bus: by which mover it goes, or by a new one.
- `load`: Loading a recording or a table: a file, heard as it is chosen; one of the last; one that comes with the
  program.
- `macro`: What the inspector shows for a macro: its range and default, a word to the musician, and trying it out.
- `modulator`: What the inspector shows for one mover: its picture, its dials, what can be done with its drawing.
- `panel`: all of what is chosen on the Patch page, with a picture, its dials and its threads.
- `pattern_player`: What the inspector shows for the pattern player: its lanes, how it goes on, and what chance does
  to it.
- `sheet`: A sheet of the inspector: what it shows of one thing, and how that is turned to another that is laid out
  alike.
- `source`: What a source is made of, in the inspector: which kind it is, its recording or table, what is missing.
- `step_count`: How many steps there are: seen, turned and typed.
- `thread_list`: on one dial, or from one mover; each can be typed, bypassed, cut and listed earlier.
- `tone`: Drive and filter of a layer or a bus, as the inspector shows them.
"""
