"""What the application knows and computes; imports no Qt, does no I/O."""
