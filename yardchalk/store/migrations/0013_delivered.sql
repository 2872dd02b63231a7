-- Whether a photo's result was delivered as it is now.
ALTER TABLE photos ADD COLUMN delivered boolean NOT NULL DEFAULT false;
UPDATE photos p SET delivered = true FROM delivery_files f JOIN deliveries d ON d.id = f.delivery_id
    WHERE f.photo_id = p.id AND f.digest = p.result AND d.state = 'done';
DROP INDEX photos_counted;
CREATE INDEX photos_counted ON photos (lot_id, state, verdict, engine, delivered, id);
