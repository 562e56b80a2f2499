"""The workshop: database, stores and caches that all services share."""
