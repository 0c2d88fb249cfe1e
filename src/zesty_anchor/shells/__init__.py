"""The shells: quoting, startup files, block, generated file."""
