"""The engine as a process: its loop, its ports, its reports."""
