"""The window.

- `benches/`: What lies on the benches: always what a layer plays, so that every edit is heard, and undone like any
  other.
- `dials/`: Controls.
- `drawer/`: The drawer: recordings and tables at hand, heard by a click.
- `frame/`: What stands around every page.
- `inspector/`: The panel on the right of the Patch page.
- `pages/`: The pages, found by themselves: each is a `Page` in the `page` file of its folder.
- `pictures/`: Pictures, each true to the running patch.
- `theme/`: How it looks.
"""
