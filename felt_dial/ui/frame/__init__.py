"""What stands around every page.

- `analyser`: spectrum, spectrogram, scope, stereo picture, loudness, and a meter before and after every stage.
- `app`: the engine first, since it needs longest.
- `commands`: what the window can be told from anywhere, by its menu, by a key, or both.
- `compare`: A comparison of two sounds, in words, over the page; single modules can be taken from the one into the
  sound on the table.
- `controller_window`: The window of the simulated controller: wheels, knobs, a pad and a scripted performance, sent
  as MIDI messages.
- `crash_recovery`: Unsaved work that windows which have ended left behind: offered until it is taken up or thrown
  away.
- `drop_target`: Files dropped on the window: where each would go is shown while it hovers, and it goes there when it
  is let go.
- `excepthook`: The outer rim of the window: what nobody caught becomes a sentence, and the work goes into the
  journal.
- `guide`: The guide and what the program says of itself, as sheets over the page.
- `header`: The header of every page: where one is, what is on the table, and what it costs.
- `lasting`: What still sounds while no key is down, and why: said by the output meter, so that nobody has to search.
- `letter_keys`: Keys of the computer that play: two rows of letters are notes, Space plays the phrase.
- `library_place`: Where the library is, when it is not where it was: the person is asked, and nothing is made in its
  place unasked.
- `phrase_sheet`: one's own are recorded, taken from files, and edited in the roll.
- `said`: The line that says what happened, between the page and the strip: it has a place of its own and covers
  nothing.
- `settings`: the sound that goes out, the window, the library.
- `sheets`: Sheets over a page, which never block it, and the one that lists the keys.
- `strip`: The bottom strip of every page: macros, phrase, wheels, keyboard.
- `window`: header, pages, strip, keys, and the line that says what happened.
- `word_mark`: opens the menu of the application.
"""
