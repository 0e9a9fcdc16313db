"""The drawer: recordings and tables at hand, heard by a click.

- `folders`: Folders of the person's whose recordings are listed: added and let go of, from the drawer or the
  settings.
- `panel`: search, filters, the list; a click or an arrow key plays, Enter takes.
- `rows`: a row a piece, with its name, its picture, its length and its root.
- `taking`: What becomes of a source that is given a piece of the drawer: its marks stay where they fit, and it is
  said where not.
"""
