"""What measurements teach: fits with their uncertainty."""
