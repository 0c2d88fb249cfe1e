"""Changes that bring versions, managers and packages for them onto the shelf, or take them off."""
