"""Effects: one file a kind, its kernels under the same name in `kernels/`.

- `chorus`: copies of the sound whose delay sways.
- `compressor`: makes what is above a threshold softer, by a ratio.
- `core/`: What effects share, without kernels.
- `delay`: two echo lines with a tone filter inside their loop.
- `drive`: bends the wave of the whole chord, by the same curves that bend single notes.
- `equaliser`: eight bands of bells, shelves, cuts and notches.
- `filters`: The filters of the layers as effects: one for the whole chord, tuned, where it is tuned by a key, by the
  newest note.
- `flanger`: a short copy whose delay sways, fed back.
- `gate`: a row of steps that lets the sound through, in time.
- `kernels/`: Kernels of effects: each file is named for its effect.
- `limiter`: nothing comes out above its ceiling.
- `multiband`: three bands, each pressed from above and lifted from below.
- `phaser`: a row of all-passes that sways, beside the plain sound.
- `reduce`: fewer bits, a lower rate.
- `reverb`: a room of feedback delay lines whose decay is as long as its dial says.
- `rotary`: a horn and a drum that turn before two ears, near and far, left and right.
- `shift`: moves every frequency by the same hertz, or the pitch by semitones.
- `thicken`: a crowd of copies, each a little out of tune.
- `trim`: a level and a balance.
- `width`: how far the sides stand apart, above a frequency.
"""
