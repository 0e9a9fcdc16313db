"""The window.

- `benches/`: What lies on the benches: always what a layer plays, so that every edit is heard, and undone like any
  other.
- `clipboard`: the one thing that was copied last, a layer, a modulator, an effect or a drawing.
- `controllers`: turned knobs move dials, are learned and forgotten; programs open presets.
- `copying`: Copying layers and modulators, and pasting them into this patch or another.
- `dials/`: Controls.
- `drawer/`: The drawer: recordings and tables at hand, heard by a click.
- `frame/`: What stands around every page.
- `growth`: offshoots that are grown beside the window by helpers, as they come; stopped and gone at a word.
- `heard`: What is done in the window with what the engine says: one function for every message that it sends.
- `importing`: reading, listening and looking for them in the background, while the sound goes on.
- `inspector/`: The panel on the right of the Patch page.
- `jobs`: long work beside the window, one at a time, while the sound goes on; and what is only looked up for a
  picture.
- `pages/`: The pages, found by themselves: each is a `Page` in the `page` file of its folder.
- `phrasing`: another is chosen, one of one's own is kept, changed or thrown away.
- `pictures/`: Pictures, each true to the running patch.
- `presets`: opened and saved, where a save would go, and what another window did to one of them meanwhile.
- `session`: the patch on the table, its history, the library, and the engine that sounds it.
- `shelf_steps`: what is done to presets and banks, each as a step that can be undone.
- `theme/`: How it looks.
- `watchers`: widgets say at which paths of the patch they look.
- `work`: The work on the table.
"""
