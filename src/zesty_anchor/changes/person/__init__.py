"""Changes of a person's own settings: who they are to git and to hosts, and keys in their programs' files."""
