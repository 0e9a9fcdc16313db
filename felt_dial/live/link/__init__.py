"""How the window and the engine speak to each other.

- `async_pipe`: The wire between the window and the engine: whoever says something never waits for the other to hear
  it.
- `link`: The window's end of the engine: starts it, sends patches and values, brings it back when it dies.
- `messages`: What the window and the engine say to each other: a type for each message, sent over a pipe as it is.
- `shared_memory`: The memory that the window and the engine share: values there, meters back, no message per move.
- `telemetry`: What the window sees of a program that sounds, put into the shared memory some thirty times a second.
"""
