"""Recordings: cut, shaped, split, joined and looked into.

steps        what can be done to a recording, one step after the other
recipe       a recording and the steps that made another of it; kept beside the asset
peaks        the picture of a recording at any zoom
spectrogram  the spectrum over time, at any zoom
root         the key that it sounds at, how sure that is, and where it glides to
loops        where it can go round
looks        short spectra, there and back
split        its tones, its noise and its strikes, which add up to the whole
choice       parts of the picture in time and frequency: kept, or taken out
splice       one recording onto the end of another
slices       where something begins
"""
