"""How kernels are declared, compiled and kept.

- `compile`: Compiles every kernel into the cache, with progress: `python -m felt_dial.sound.compiling.compile`.
- `compiled`: The kernels of all modules: importing this imports Numba and every file of the `kernels` folders.
- `kernel`: how functions are compiled, and how a module is tied to the one that computes it.
- `kernel_cache`: Where compiled kernels are kept, and whether one that is kept still holds.
- `plan`: work of many kernels, one after the other, as a list that is walked without Python.
"""
