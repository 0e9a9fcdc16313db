"""Kernels of modulators.

- `blend`: How a blend is worked out.
- `chance`: How random values are worked out: held, stepped, drifting, chaotic.
- `core/`: How modulators and threads are worked out.
- `curve`: How a curve is read, with its loop.
- `envelope`: How an envelope goes through its stages.
- `follow`: How a follower follows a level.
- `lfo`: waits, fades in, swings, goes once.
- `player`: Macros, and what the player does, at every tick of a note or of the whole patch.
- `steps`: How a row of steps is read, with its ties and chances.
"""
