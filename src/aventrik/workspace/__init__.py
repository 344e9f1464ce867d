"""A user's project on disk: settings, configurations, test sets, and the store."""
