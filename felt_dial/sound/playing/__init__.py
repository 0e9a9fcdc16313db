"""What a player does becomes voices.

- `allocator`: keys, pedals and fingers become rows of voices, as the patch says that notes are played.
- `counted_chance`: Chance that is counted, not clocked: the same note and counter give the same number, every time.
- `events`: What a player does, as events at a frame.
- `kernels/`: Kernels of playing.
- `pattern_player`: The pattern player at work: keys go in, notes of a pattern come out, block by block, live and
  offline alike.
- `phrases`: Phrases that come with the program: for every kind of preset one that shows it, and a few to try a sound
  out with.
- `voices`: what a player does, and which note sounds in which row.
"""
