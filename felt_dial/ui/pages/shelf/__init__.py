"""The Shelf page.

- `details`: all about one preset, to be read and changed.
- `many`: what is done to all presets that are selected, each as one step.
- `offshoot_map`: a sound and what grew from it, near where they sound alike.
- `offshoots`: variations grown from a sound, on a map where near means alike; heard, kept, thrown away, grown again.
- `page`: banks as spines, presets with swatches, search, details.
- `preset_list`: its rows, its columns, and how they are dragged.
- `spine`: the banks on the shelf.
"""
