"""What drives and filters share, without kernels.

- `cutoff`: What every tuned filter shares: where its cutoff is at every frame, and how it gives way when it is
  driven.
- `halves`: Half-bands of few sections, by which a drive goes up to a finer rate and comes down again.
- `transfer`: The curves that a drive bends waves by: pieces of polynomials, so that their areas are exact and cheap.
"""
