"""Pages, API and streams over the services."""
