"""The film bench."""
