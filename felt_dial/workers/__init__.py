"""Long work beside the window, in processes that are gone when it is stopped.

- `helper`: A process that one waits for: one call after the other, with progress, and gone when it is stopped.
- `process`: One process that does what it is asked, one piece of work after the other.
- `queue`: A queue of work for some processes: each piece once, by its key, those that are waited for first.
"""
