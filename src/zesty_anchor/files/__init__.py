"""Files as bytes: read, edited and replaced so that nothing is lost. No shell, no manifest."""
