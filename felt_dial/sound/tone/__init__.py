"""Drives and filters: one file a kind, its kernels under the same name in `kernels/`.

- `comb`: a delay as long as one turn of a pitch, fed back, so that the pitch and its harmonics ring.
- `core/`: What drives and filters share, without kernels.
- `formant`: three resonances of a throat, along a line of vowels.
- `kernels/`: Kernels of drives and filters.
- `ladder`: four poles in a loop that gives way, and two filters that squeal.
- `shelf`: lifts or lowers what is below or above a frequency.
- `state_variable`: low-, high- and band-pass, notch and peak, 12 and 24 dB per octave; low- and high-pass 6.
"""
