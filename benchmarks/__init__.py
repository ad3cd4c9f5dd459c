"""Accuracy and speed against known truth; ``./kettle bench`` prints the table."""
