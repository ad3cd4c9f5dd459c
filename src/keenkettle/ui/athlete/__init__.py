"""The athlete place: meeting, clearances, fit, choosing."""
