-- What a delivered file looks like, as it was when it was delivered; none of those delivered before.
ALTER TABLE delivery_files ADD COLUMN preview text;
