"""The engine process and what it is connected to.

- `engine/`: The process that sounds.
- `link/`: How the window and the engine speak to each other.
- `midi/`: Controllers and MIDI files.
"""
