-- What the checks said before allowances, and what is told only beside the other photos of the lot; `findings` has both,
-- with what was allowed.
ALTER TABLE photos ADD COLUMN checked jsonb NOT NULL DEFAULT '[]';
ALTER TABLE photos ADD COLUMN beside jsonb NOT NULL DEFAULT '[]';
UPDATE photos SET checked = findings;
-- A run sheet of the photo's own; the lot's where there is none.
ALTER TABLE photos ADD COLUMN sheet text;
-- The order of the line-up: by rank, and within it by how far the worst finding is off its limit.
ALTER TABLE photos ADD COLUMN worst double precision NOT NULL DEFAULT 0;
ALTER TABLE photos ADD COLUMN rank int NOT NULL GENERATED ALWAYS AS (
    CASE WHEN state = 'failed' THEN 3 WHEN state <> 'done' THEN 4 WHEN verdict = 'fix' THEN 0 WHEN verdict = 'look' THEN 1 ELSE 2 END
) STORED;
CREATE INDEX photos_in_order ON photos (lot_id, rank, (-worst), name, id);

CREATE TABLE allowances (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    scope text NOT NULL CHECK (scope IN ('photo', 'lot', 'spec')),
    photo_id bigint REFERENCES photos ON DELETE CASCADE,
    lot_id bigint REFERENCES lots ON DELETE CASCADE,
    spec text,
    check_name text NOT NULL,
    excess double precision NOT NULL,
    place jsonb,
    reason text NOT NULL,
    at timestamptz NOT NULL DEFAULT now(),
    CHECK (CASE scope WHEN 'photo' THEN photo_id IS NOT NULL WHEN 'lot' THEN lot_id IS NOT NULL ELSE spec IS NOT NULL END)
);
CREATE INDEX allowances_by_photo ON allowances (photo_id);
CREATE INDEX allowances_by_lot ON allowances (lot_id);
