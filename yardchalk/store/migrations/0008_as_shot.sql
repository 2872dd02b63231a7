-- A small picture of the photo as it came in: what is seen of it until it was run.
ALTER TABLE photos ADD COLUMN as_shot text;
