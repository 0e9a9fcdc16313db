"""The drawer: recordings and tables at hand, heard by a click.

rows     the list, a row a piece
taking   what becomes of a source that is given a piece
panel    search, filters, the list, and what is done with what is heard
"""
