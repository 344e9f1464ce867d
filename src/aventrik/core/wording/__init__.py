"""English as words and questions are read: what stands for the same, what a question asks for, how figures are written. It is
data and analysis that search, locating and judging share; what writes, answers and judges by rules is in `english/`."""
