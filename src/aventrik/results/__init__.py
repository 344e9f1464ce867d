"""What runs come to: compared, explained, held against limits; and a question asked now."""
