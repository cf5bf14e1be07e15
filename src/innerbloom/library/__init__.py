"""The front door for scripts and notebooks: ``import innerbloom as ib``; what it gives is named there."""
