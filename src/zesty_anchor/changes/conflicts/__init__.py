"""Changes that remove what conflicts with the manifest: only after new shells have proved the new."""
