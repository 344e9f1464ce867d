"""Scores by their definitions: `retrieval` and `answers` a question, `loss` where evidence went."""
