"""The Shelf page.

- `bank_column`: spines, what can be done with a bank, and what narrows the list of its presets.
- `bank_sheet`: what it says about itself, its cover, and the words that names are made of.
- `details`: all about one preset, to be read and changed.
- `likes`: Sounds like another, and listening to a sound while the pointer rests on its swatch.
- `many`: what is done to all presets that are selected, each as one step.
- `marks`: each is as many stitches as its dye stands in the order, so that it is told apart without its colour.
- `move_menu`: The menu of banks that presets can be moved or copied into: one for a preset and for many.
- `offshoot_map`: a sound and what grew from it, near where they sound alike.
- `offshoots`: variations grown from a sound, on a map where near means alike; heard, kept, thrown away, grown again.
- `page`: banks as spines, presets with swatches, search, details.
- `preset_list`: its rows, its columns, and how they are dragged.
- `spine`: the banks on the shelf.
- `start`: What stands where nothing is listed: what would go there, and what can be done about it.
- `wishes`: how far offshoots go, how many, what may change and what stays, and towards which recording.
"""
