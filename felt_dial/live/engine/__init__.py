"""The process that sounds.

- `audition`: Listening to a recording before it is taken: played beside the patch, at a steady loudness.
- `begin`: Where the engine's process begins: its modules are read without looking for garbage, of which they make
  none.
- `devices`: what a block of sound is handed to. Real and simulated ones stand in one list.
- `engine`: one thread makes sound block by block, another listens to the window.
- `idle`: when nothing sounds and nothing is asked for, blocks are not computed.
- `kernel_preloader`: kernels are loaded from the cache before a block needs them, which would come late by what that
  takes.
- `launch`: Starting the engine's process: nothing is read here that takes time, so that a window can do it before all
  else.
- `monitor`: what is done to the sound only for the one who listens, and never to what is rendered.
- `note_input`: keys of the window and of a controller, its knobs and its clock, and keys that are held.
- `note_recorder`: Taking down what is played: keys become the notes of a phrase, counted in beats, with a click to
  keep time by.
- `output`: What the engine plays on: the wanted device, the simulated one while that is not there, and the device
  again once it is.
- `player`: a phrase becomes events of the block that is about to sound.
- `process`: what it does as it begins, and how it ends.
- `real_time`: the thread that makes sound asks to go before all others, and its memory to stay where it is.
- `recorder`: from an input device, or from the simulated microphone, which plays a made scene.
"""
