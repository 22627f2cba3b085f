"""What several views are built of."""
