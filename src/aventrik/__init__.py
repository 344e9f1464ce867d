"""Aventrik: which retrieval configuration is better on your own documents, is that real, why, what does it cost."""

__version__ = "0.1.0"
