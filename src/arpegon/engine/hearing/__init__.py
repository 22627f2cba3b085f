"""What listens: audio inputs and files, in a process of its own."""
