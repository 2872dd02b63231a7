"""Stand-ins for devices and outside services: each a process of its own that knows nothing of the application."""
