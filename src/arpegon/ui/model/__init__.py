"""What the window works on; knows no widget."""
