"""A patch made ready to sound.

- `arranging`: what is to be done in a block, in order, as plans that hold until something else is to be done.
- `building`: every module of a patch at its place, with the rows of control that it reads and all that ties it.
- `bus_voice`: the buses of a program, where layers meet note by note.
- `carry_over`: a program takes what an earlier one was doing, so that an edit does not stop the sound.
- `finer_voices`: A filter that is driven bends the waves that go through it: its voices work at four times the rate
  then, as a drive does.
- `hand_over`: an earlier program fades into the one that takes its place.
- `kernels/`: Kernels that every program needs.
- `latency_compensation`: when sounds come together, so that the ways that are shorter wait for those that are longer.
- `layer_voice`: the layers of a program, note by note, and the sums they are added to.
- `output_stage`: where layers and buses come together, go through the racks, and out.
- `parts`: Parts of a block, each with the plans that were made for it.
- `program`: a patch made ready to sound.
- `racks`: chains of effects on a sum of voices.
- `rates`: going up to a multiple of the rate and down again, and delays that keep sounds in step.
- `running_module`: A module at its place in a program, with its state and what it costs.
- `tone_chain`: the drives and the filter of a layer or a bus, one after the other, note by note.
"""
