"""The windows: the only package that knows Qt."""
