-- Run sheets and listing specs kept under a name. A version is never changed; "name@version" names it, a plain name one that ships.
CREATE TABLE shelf (
    kind text NOT NULL CHECK (kind IN ('sheet', 'spec')),
    name text NOT NULL,
    version int NOT NULL,
    content jsonb NOT NULL,
    note text NOT NULL DEFAULT '',
    origin text NOT NULL DEFAULT '',
    at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (kind, name, version)
);

-- While a lot is paused its photos wait without a job.
ALTER TABLE lots ADD COLUMN paused boolean NOT NULL DEFAULT false;
-- A photo's place in the queue, counted over all lots that are in it; see studio.running.
ALTER TABLE photos ADD COLUMN turn int;
-- The version of the engine that its result was computed by.
ALTER TABLE photos ADD COLUMN engine text;
-- Until then a person works on it, and what a run wants of it is put off.
ALTER TABLE photos ADD COLUMN held_until timestamptz;
ALTER TABLE photos ADD COLUMN put_off boolean NOT NULL DEFAULT false;
CREATE INDEX photos_by_content ON photos (digest);
CREATE INDEX photos_held ON photos (held_until) WHERE held_until IS NOT NULL;

-- Where it came from: dropped on the page, the watched folder, the capture station.
ALTER TABLE photos ADD COLUMN source text NOT NULL DEFAULT 'dropped';
ALTER TABLE photos ADD COLUMN at timestamptz NOT NULL DEFAULT now();
ALTER TABLE refusals ADD COLUMN source text NOT NULL DEFAULT 'dropped';
ALTER TABLE refusals ADD COLUMN kind text NOT NULL DEFAULT 'refused' CHECK (kind IN ('refused', 'known'));

-- A run sheet tried on a photo, beside what the lot has in force.
CREATE TABLE tries (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    photo_id bigint NOT NULL REFERENCES photos ON DELETE CASCADE,
    sheet text NOT NULL,
    spec text NOT NULL,
    key text NOT NULL,
    job_id bigint,
    state text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'running', 'done', 'failed')),
    verdict text,
    findings jsonb NOT NULL DEFAULT '[]',
    figures jsonb NOT NULL DEFAULT '{}',
    preview text,
    error text,
    took_ms int,
    at timestamptz NOT NULL DEFAULT now(),
    UNIQUE (photo_id, key)
);

-- A delivery is on record before its first file is written.
ALTER TABLE deliveries ADD COLUMN state text NOT NULL DEFAULT 'done' CHECK (state IN ('waiting', 'writing', 'done', 'failed'));
ALTER TABLE deliveries ADD COLUMN error text;
ALTER TABLE deliveries ADD COLUMN job_id bigint;
ALTER TABLE delivery_files ADD COLUMN sheet text NOT NULL DEFAULT '';
ALTER TABLE delivery_files ADD COLUMN sheet_version int NOT NULL DEFAULT 1;
ALTER TABLE delivery_files ADD COLUMN named text NOT NULL DEFAULT '';
-- What the listing desk said of the file.
ALTER TABLE delivery_files ADD COLUMN answer text CHECK (answer IN ('asked', 'accepted', 'refused', 'unanswered'));
ALTER TABLE delivery_files ADD COLUMN reasons jsonb NOT NULL DEFAULT '[]';
