"""The made-up documents, questions and configurations of the full example, and what lays them out."""
