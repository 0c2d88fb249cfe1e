"""Changes that remove what conflicts with the manifest: only after fresh shells have proved the new."""
