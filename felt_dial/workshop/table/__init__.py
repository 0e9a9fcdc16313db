"""Tables: frames of 2048 samples, worked out from a few key frames.

cycles          single cycles: harmonics, ready shapes, drawing
recipe          how a table is made: key frames, what lies between, what reshapes it; kept beside the asset
between         what lies between two key frames
reshaping       what is done to each frame, by an amount that travels along the table
from_recording  frames from a recording: by pitch, by spectrum, by length
mending         edges, levels, phases, order
scores          how clean a table is
"""
