"""Clips of the demo club, made by the simulated lifter (tools/make_demo_clips.py)."""
