"""Kernels of effects: each file is named for its effect.

- `chorus`: Chorus, frame by frame.
- `compressor`: Compressor, frame by frame: detector, static curve, attack and release.
- `core/`: What kernels of effects share.
- `delay`: two lines, tone and diffusion in their loop.
- `drive`: The drive of the whole chord: the kernel of the drive of voices.
- `equaliser`: a band after another, its coefficients moving with its dials.
- `filters`: The filters of the whole chord: every effect that is declared as a kind of filter has the kernel of its
  voices.
- `flanger`: Flanger, frame by frame.
- `gate`: the step it stands at, its slope.
- `limiter`: looks ahead, and turns down in time; then once more, what the turning itself has raised between the
  frames.
- `multiband`: three bands by crossovers, the level of each.
- `phaser`: a row of all-passes, frame by frame.
- `reduce`: Reduce, frame by frame.
- `reverb`: eight delay lines with feedback, as eight lanes.
- `rotary`: two turning things before two ears, frame by frame.
- `shift`: by hertz with a Hilbert pair, by semitones with two moving heads.
- `thicken`: Thicken, frame by frame.
- `trim`: Trim, frame by frame.
- `width`: Width, frame by frame.
"""
