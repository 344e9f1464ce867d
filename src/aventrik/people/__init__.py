"""What people decide on questions, passages and verdicts, and how far they and a judge agree."""
