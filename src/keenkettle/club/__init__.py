"""The club's records: athletes, clips, findings, prescriptions, sessions."""
