"""Where work is done: a bench opens what a stage is handed, and executors do it here or on workers."""
