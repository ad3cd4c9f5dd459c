"""The today place."""
