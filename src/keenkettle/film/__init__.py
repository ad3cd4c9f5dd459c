"""Clips as numbers: exact frames, the disc found and followed, joints followed."""
