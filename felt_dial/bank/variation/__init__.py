"""Other sounds from a sound: variations, and the way towards a recording.

- `in_place`: the dials of one module, or of one layer, moved by chance, in tune as offshoots are; levels stay.
- `match_render`: a recording is made ready to be compared with, and sounds are rendered and measured against it.
- `match_search`: how near a sound is to one, and the search for the dials that bring it nearer.
- `variation_render`: children are rendered until they are as far as wished, and those that are silent, wild or out of
  tune thrown away.
- `variations`: variations grown from a sound. What may change, how a child is made, how children are spread and laid
  out.
"""
