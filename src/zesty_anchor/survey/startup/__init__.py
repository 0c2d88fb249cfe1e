"""What startup files do: their statements, and the traces of fresh shells."""
