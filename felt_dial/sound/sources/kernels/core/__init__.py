"""What kernels of sources share.

- `cycle_reader`: Reading cycles from tables: the innermost loops of the sources that repeat.
- `cyclic`: Phases, tuning and drift of sources that read single cycles.
- `notes`: What a source is given, and the frame that plays every note with it.
- `oversampled`: a source that would alias is made at four times the rate and brought down, note by note.
- `recording_reader`: Recordings ready to be played at any speed: octaves of the sound, and a windowed sinc to read
  between frames.
- `unison`: tuning, place and level of every voice.
- `white`: White noise, a number a frame.
"""
