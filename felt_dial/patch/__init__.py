"""The sound as a value: what a patch is made of, and the edits that make another of it.

- `asset`: sounds and tables that a patch names by what they contain.
- `change`: what an edit makes of a patch, and which parameters it touched.
- `documents/`: JSON documents, each of a kind with a format of its own.
- `drawn`: parameters that are many numbers at once, such as the points of a line or the steps of a row.
- `edits`: functions from a patch to a patch.
- `handles`: what the wheel and each macro of a patch do, in words, as its threads have it.
- `history`: every edit as a named step that can be undone and redone.
- `module`: the parts of a patch that own parameters, and the families they come in.
- `params`: declared once, next to the module they belong to, and read by everything else.
- `parts`: layers, what goes between them, macros, threads.
- `patch`: one sound as a value, with every parameter reachable by its path.
- `pattern`: what a patch makes of held keys before they reach its voices.
- `phrase`: notes in beats that play while one works, and with which a preset is best heard.
- `places`: as a part of it, in time, and in frames.
- `player`: What a player does that can move a sound: declared once, read by the tray, the threads and the engine.
- `reach`: where threads take a dial, whether a mover moves anything, and why a movement is not heard.
- `routing`: where layers, buses and racks go and send to, and how that is said.
- `sends`: Where a layer or a bus may go and send to.
- `shaping`: what a drive is set to, whether it bends each note by itself or a whole chord.
- `tuning`: scales and keyboard maps, read from the Scala formats `.scl` and `.kbm`.
- `units`: how a value is read from a person's typing and written on the screen.
"""
