-- What a delivered file looks like, as it was when it was delivered, and whether it is see-through; not known of those delivered before.
ALTER TABLE delivery_files ADD COLUMN preview text, ADD COLUMN see_through boolean NOT NULL DEFAULT false;
