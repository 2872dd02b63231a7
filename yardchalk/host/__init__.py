"""What starts and stops the processes on one machine: PostgreSQL, workers, web server."""
