-- What each mend touched of the product, as the run found it, and as it stood when it was delivered: a list of kind, name and share in %.
ALTER TABLE photos ADD COLUMN mends jsonb NOT NULL DEFAULT '[]';
ALTER TABLE delivery_files ADD COLUMN mends jsonb NOT NULL DEFAULT '[]';
