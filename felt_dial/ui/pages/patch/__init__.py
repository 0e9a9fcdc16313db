"""The Patch page.

- `layer_row`: source, drive, filter, level over time, out.
- `menus`: Menus of a row and of a card: everything that can be done with a layer or a modulator as a whole.
- `modulator_tray`: The tray of modulators, and the tags of what the player does.
- `page`: a row per layer, read from left to right as the sound flows; modulators below.
- `routing`: where layers, buses and racks go, drawn as sewn lines, and in words.
"""
