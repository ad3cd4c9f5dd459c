"""The frame around all places: top bar, athlete in hand, windows."""
