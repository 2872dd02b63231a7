"""All SQL of the application, as functions on a connection, by what their rows are of. Parameters are always bound."""
