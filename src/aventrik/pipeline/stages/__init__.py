"""The functions of the stages, each of what it is handed alone; the graph says what that is."""
