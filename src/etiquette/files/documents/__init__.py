"""The typed, versioned documents that rows hold."""
