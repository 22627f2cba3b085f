"""The board: strands as columns of rolls and stages."""
