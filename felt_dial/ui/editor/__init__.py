"""What is done in the window: the patch on the table, its presets, the shelf, and work beside it.

- `clipboard`: the one thing that was copied last, a layer, a modulator, an effect or a drawing.
- `controllers`: turned knobs move dials, are learned and forgotten; programs open presets.
- `copying`: Copying layers and modulators, and pasting them into this patch or another.
- `engine_handlers`: What is done in the window with what the engine says: one function for every message that it
  sends.
- `importing`: reading, listening and looking for them in the background, while the sound goes on.
- `jobs`: long work beside the window, one at a time, while the sound goes on; and what is only looked up for a
  picture.
- `phrasing`: another is chosen, one of one's own is kept, changed or thrown away.
- `presets`: opened and saved, where a save would go, and what another window did to one of them meanwhile.
- `session`: the patch on the table, its history, the library, and the engine that sounds it.
- `shelf_steps`: what is done to presets and banks, each as a step that can be undone.
- `variation_jobs`: offshoots that are grown beside the window by helpers, as they come; stopped and gone at a word.
- `watchers`: widgets say at which paths of the patch they look.
- `work`: The work on the table.
"""
