"""Show me: a lift moving in the athlete's own proportions."""
