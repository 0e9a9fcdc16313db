"""What kernels of effects share.

- `single_voice`: Drives and filters of single voices as effects: the same kernels, with the whole chord as their only
  voice.
- `sway`: the lines, the sway, and copies read from them.
"""
