"""The session: text, card, print."""
