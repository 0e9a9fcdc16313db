"""The Workshop: the wavetable bench and the sample bench.

- `from_recording`: A table from a recording: all ways side by side, heard before one is taken; and from what sounds
  now.
- `page`: what a layer plays, on the bench: a table or a recording.
- `parts/`: The parts of the card beside the sample bench, each for one thing that is done with a recording.
- `sample_bench`: the wave and its spectrum, its parts, and beside them loops, splices, slices, bounces, recording.
- `sample_side`: root and loops, splice, slices, bounce, recording, and the steps that were done.
- `table_bench`: frames as a stack, one under the pen, key frames, mending, reshaping; and tables from recordings.
"""
