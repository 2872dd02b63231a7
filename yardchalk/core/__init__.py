"""The computation: arrays and settings in, arrays and findings out. Knows nothing of web, database or queue."""
