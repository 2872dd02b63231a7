-- Marks are told apart by stage.
UPDATE photos SET marks = jsonb_build_object('lift', marks) WHERE marks ? 'white_point';

-- What a photo's marks were, step by step; step 0, before the first, has none.
CREATE TABLE marks_steps (
    photo_id bigint NOT NULL REFERENCES photos ON DELETE CASCADE,
    step int NOT NULL,
    marks jsonb NOT NULL,
    what text NOT NULL,
    at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (photo_id, step)
);
ALTER TABLE photos ADD COLUMN marks_step int NOT NULL DEFAULT 0;
INSERT INTO marks_steps (photo_id, step, marks, what) SELECT id, 1, marks, 'White point' FROM photos WHERE marks <> '{}';
UPDATE photos SET marks_step = 1 WHERE marks <> '{}';

CREATE TABLE snapshots (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    photo_id bigint NOT NULL REFERENCES photos ON DELETE CASCADE,
    name text NOT NULL,
    marks jsonb NOT NULL,
    at timestamptz NOT NULL DEFAULT now(),
    UNIQUE (photo_id, name)
);
