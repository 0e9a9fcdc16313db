"""Tables: frames of 2048 samples, worked out from a few key frames.

- `between`: What lies between two key frames.
- `cycles`: Single cycles of 2048 samples: their harmonics, ready shapes, and lines drawn by hand.
- `from_recording`: by its pitch, by its spectrum, by length, or one cycle at a place.
- `from_sound`: Frames from a sounding patch: one cycle for each step of a macro from end to end. Renders, so it is
  for a helper.
- `hearing`: A table as it is heard before it is taken: from its first frame to its last, at one pitch.
- `mending`: what is done to frames so that they close, are as loud as each other, and stand in order.
- `recipe`: key frames, what lies between them, and what reshapes it; a value, kept beside the asset.
- `reshaping`: one thing done to every frame, by an amount of its own.
- `scores`: How clean a table is, in figures.
"""
