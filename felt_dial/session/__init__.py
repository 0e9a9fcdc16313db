"""What is done in the window: the patch on the table, its presets, the shelf, and work beside it.

- `autosave`: the page of the journal that holds what would be lost with the work on the table.
- `channel`: The one channel of notification: who wants to know of what, and is told when it happens.
- `clipboard`: the one thing that was copied last, a layer, a modulator, an effect or a drawing.
- `control`: turned knobs move dials, are learned and forgotten; programs open presets.
- `copying`: layers and modulators are copied, pasted, duplicated and removed; a copy is what is chosen next.
- `editor`: the patch on the table, its history, what is chosen of it, and its two sides A and B.
- `importing`: reading, listening and looking for them in the background, while the sound goes on.
- `jobs`: long work beside the window, one at a time, while the sound goes on; and what is only looked up for a
  picture.
- `phrasing`: another is chosen, one of one's own is kept, changed or thrown away.
- `preferences`: the settings of the person, kept as they are changed.
- `presets`: opened and saved, where a save would go, and what another window did to one of them meanwhile.
- `session`: what one window works with, made of parts that are told of one another on one channel.
- `shelf`: The library as the window has it open: its list, its measures, its documents and phrases, and what others
  do to it.
- `shelf_steps`: what is done to presets and banks, each as a step that can be undone.
- `topics`: What is told on the channel of a session, besides edits at paths and the messages of the engine.
- `transport`: the engine that sounds the patch, the keys and the phrase that play it, and what the engine has to say.
- `variation_jobs`: offshoots that are grown beside the window by helpers, as they come; stopped and gone at a word.
- `work`: The work on the table.
"""
