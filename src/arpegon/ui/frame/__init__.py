"""What stands around the views: header, notices, play surface."""
