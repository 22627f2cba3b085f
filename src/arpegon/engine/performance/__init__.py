"""What changes while music plays: hookups, sections, clips, takes."""
