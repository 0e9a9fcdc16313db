"""Controllers and MIDI files.

- `control_map`: which controller of a person's keyboard turns which dial. It is theirs, not the preset's.
- `controller`: keys, wheels, pedals and fingers, real or simulated, as events of the engine.
- `midi_file`: Standard MIDI Files as events: notes, wheels, pedals, fingers.
- `midi_ports`: MIDI inputs of the machine: the only file that knows which package speaks to them (`rtmidi2`).
"""
