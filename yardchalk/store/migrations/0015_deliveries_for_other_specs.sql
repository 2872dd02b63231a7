-- A delivery for another listing spec than the lot's is computed while it is written: of each file, what it hangs on (the photo's own
-- settings, and the photo of the empty set), until there is a result; or why it was left out. A delivery takes along these verdicts.
ALTER TABLE delivery_files ALTER COLUMN digest DROP NOT NULL, ALTER COLUMN verdict DROP NOT NULL,
    ADD COLUMN marks jsonb, ADD COLUMN empty text, ADD COLUMN left_out text;
ALTER TABLE deliveries ADD COLUMN verdicts text[] NOT NULL DEFAULT '{ready,look,fix}';
