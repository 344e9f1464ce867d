"""The stage graph: content keys, what is computed once and kept, running and going on."""
