"""What effects share, without kernels.

- `sway`: Parameters of copies whose delay sways.
"""
