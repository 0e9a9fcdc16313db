"""The parts of the card beside the sample bench, each for one thing that is done with a recording.

- `bounce`: What the patch plays becomes a recording.
- `loops`: The root of a recording, and where it can go round.
- `part`: What every part of the card beside the sample bench is: a column that is filled once.
- `record`: Recording from an input, or from the simulated microphone.
- `slices`: Where something begins, and what is made of what lies between.
- `splice`: Another recording is joined on.
- `steps`: What was done to the recording, and whose it is.
"""
