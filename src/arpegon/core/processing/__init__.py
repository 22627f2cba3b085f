"""What a processor is: its protocol, its declared parameters, and the tools that many share."""
