"""How modulators and threads are worked out.

- `clock`: Where in its turn something stands, in seconds or beats, for a note or for all.
- `line`: Reading a drawn line at a place.
- `movers`: its kernel by its kind, and the one kernel that calls them all.
- `run`: The kernel that works out movers, threads and parameters of a block, tick by tick.
- `threads`: Sums of the threads on a parameter: shaped, scaled, smoothed, delayed.
"""
