-- Regions of Clear kept under a name, for use in other photos.
CREATE TABLE kept_regions (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name text NOT NULL UNIQUE,
    region jsonb NOT NULL,
    at timestamptz NOT NULL DEFAULT now()
);
