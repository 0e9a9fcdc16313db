"""Modulators: one file a kind, its kernels under the same name in `kernels/`.

- `blend`: two modulators made one.
- `chance`: random values, one per note, stepped, drifting or chaotic; counted, so the same notes give the same ones.
- `core/`: What modulators share.
- `curve`: a long drawn line, in seconds or bars, that goes once with a note or keeps a part of it going round.
- `envelope`: delay, attack, hold, decay, sustain, release, with a bend for each slope and a loop between two of them.
- `follow`: the level of a layer, of the rack or of the output as a modulator.
- `kernels/`: Kernels of modulators.
- `lfo`: a slow wave that moves something.
- `steps`: a drawn row of values, one after another, with ties and chances.
"""
