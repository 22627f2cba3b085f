"""Sections: the strip above the board, and the view that edits them."""
