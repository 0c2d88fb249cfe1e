"""What startup files do: their statements, and the traces of new shells."""
