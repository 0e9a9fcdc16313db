"""The engine process and what it is connected to.

- `audition`: Listening to a recording before it is taken: played beside the patch, at a steady loudness.
- `begin`: Where the engine's process begins: its modules are read without looking for garbage, of which they make
  none.
- `control_map`: which controller of a person's keyboard turns which dial. It is theirs, not the preset's.
- `controller`: keys, wheels, pedals and fingers, real or simulated, as events of the engine.
- `devices`: what a block of sound is handed to. Real and simulated ones stand in one list.
- `engine`: one thread makes sound block by block, another listens to the window.
- `launch`: Starting the engine's process: nothing is read here that takes time, so that a window can do it before all
  else.
- `link`: The window's end of the engine: starts it, sends patches and values, brings it back when it dies.
- `messages`: What the window and the engine say to each other: a type for each message, sent over a pipe as it is.
- `midi_file`: Standard MIDI Files as events: notes, wheels, pedals, fingers.
- `midi_ports`: MIDI inputs of the machine: the only file that knows which package speaks to them (`rtmidi2`).
- `monitor`: what is done to the sound only for the one who listens, and never to what is rendered.
- `output`: What the engine plays on: the wanted device, the simulated one while that is not there, and the device
  again once it is.
- `player`: a phrase becomes events of the block that is about to sound.
- `recorder`: from an input device, or from the simulated microphone, which plays a made scene.
- `shared_memory`: The memory that the window and the engine share: values there, meters back, no message per move.
- `showing`: What the window sees of a program that sounds, put into the shared memory some thirty times a second.
- `sleep`: when nothing sounds and nothing is asked for, blocks are not computed.
- `taking`: Taking down what is played: keys become the notes of a phrase, counted in beats, with a click to keep time
  by.
- `warming`: kernels are loaded from the cache before a block needs them, which would come late by what that takes.
- `wire`: The wire between the window and the engine: whoever says something never waits for the other to hear it.
"""
