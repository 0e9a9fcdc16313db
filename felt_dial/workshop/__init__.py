"""Where matter is made: tables from cycles and recordings, recordings cut, split, joined and bounced. No window, no engine.

- `bounce`: what sounds now becomes a recording. Renders, so it is for a helper or for the command line.
- `bouncing`: What is bounced, and what comes of it: declarations alone, so that the window knows them without what
  renders.
- `recording/`: Recordings: cut, shaped, split, joined and looked into.
- `table/`: Tables: frames of 2048 samples, worked out from a few key frames.
- `wav_file`: WAV files out, with what a table or a recording needs beside its samples. 32-bit float, equal bytes for
  equal sounds.
"""
