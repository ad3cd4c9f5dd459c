"""The bar fitted to the body: grip, set position, stance."""
