-- The photo of a lot that shows the empty set: its light is evened out in all photos of the lot.
ALTER TABLE lots ADD COLUMN empty_photo bigint REFERENCES photos ON DELETE SET NULL;
