"""Recordings: cut, shaped, split, joined and looked into.

- `choice`: Parts of a recording chosen in its picture, in time and frequency, with soft edges: kept, or taken out.
- `looks`: short spectra of a recording and the way back, exact where nothing is changed.
- `loops`: Where a recording can go round: whole turns of its pitch whose ends are alike.
- `peaks`: The picture of a recording: lowest and highest samples at any zoom, from a pyramid.
- `recipe`: How a recording was made: the one it began from, and what was done to it; a value, kept beside the asset.
- `slices`: Where something begins in a recording.
- `spectrogram`: The spectrum over time, evenly by ear from 30 Hz to 20 kHz, worked out only for what is seen.
- `splice`: One recording onto the end of another, so that the overlap is neither thin nor loud.
- `split`: tones, noise and strikes, which add up to the whole.
- `spread`: as layers of their own, or as one layer whose key says which slice is played.
- `steps`: What can be done to a recording: each step is a name and figures, and gives another recording.
- `work`: What a helper does for the sample bench: with the recordings of a store, by their names.
"""
