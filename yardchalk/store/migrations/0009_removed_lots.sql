-- A removed lot is kept for a while, to be taken back; what was delivered of it stays on record for good.
ALTER TABLE lots ADD COLUMN removed_at timestamptz;
ALTER TABLE deliveries ADD COLUMN lot_name text;
UPDATE deliveries d SET lot_name = l.name FROM lots l WHERE l.id = d.lot_id;
ALTER TABLE deliveries ALTER COLUMN lot_name SET NOT NULL, ALTER COLUMN lot_id DROP NOT NULL;
ALTER TABLE deliveries DROP CONSTRAINT deliveries_lot_id_fkey,
    ADD CONSTRAINT deliveries_lot_id_fkey FOREIGN KEY (lot_id) REFERENCES lots ON DELETE SET NULL;
