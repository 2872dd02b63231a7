CREATE TABLE lots (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name text NOT NULL,
    sheet text NOT NULL,
    spec text NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE photos (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    lot_id bigint NOT NULL REFERENCES lots ON DELETE CASCADE,
    name text NOT NULL,
    digest text NOT NULL,
    bytes bigint NOT NULL,
    facts jsonb NOT NULL,
    marks jsonb NOT NULL DEFAULT '{}',
    -- idle: nothing asked; waiting: a job is queued; running; done; failed
    state text NOT NULL DEFAULT 'idle' CHECK (state IN ('idle', 'waiting', 'running', 'done', 'failed')),
    -- what the next run is to compute, and what the last one did: hash of photo, run sheet, spec and marks
    asked_key text,
    done_key text,
    runs int NOT NULL DEFAULT 0,
    job_id bigint,
    verdict text CHECK (verdict IN ('ready', 'look', 'fix')),
    findings jsonb NOT NULL DEFAULT '[]',
    figures jsonb NOT NULL DEFAULT '{}',
    error text,
    preview text,
    result text,
    result_suffix text,
    result_width int,
    result_height int,
    took_ms int,
    updated_at timestamptz NOT NULL DEFAULT now(),
    UNIQUE (lot_id, digest)
);
CREATE INDEX photos_by_lot ON photos (lot_id, id);

CREATE TABLE refusals (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    lot_id bigint NOT NULL REFERENCES lots ON DELETE CASCADE,
    name text NOT NULL,
    reason text NOT NULL,
    at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX refusals_by_lot ON refusals (lot_id, id);

CREATE TABLE deliveries (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    lot_id bigint NOT NULL REFERENCES lots ON DELETE CASCADE,
    sheet text NOT NULL,
    spec text NOT NULL,
    folder text NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE delivery_files (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    delivery_id bigint NOT NULL REFERENCES deliveries ON DELETE CASCADE,
    photo_id bigint REFERENCES photos ON DELETE SET NULL,
    name text NOT NULL,
    source text NOT NULL,
    source_digest text NOT NULL,
    digest text NOT NULL,
    bytes bigint NOT NULL,
    verdict text NOT NULL,
    findings jsonb NOT NULL
);
CREATE INDEX delivery_files_by_delivery ON delivery_files (delivery_id, id);
