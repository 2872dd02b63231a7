-- The day by which a lot is owed.
ALTER TABLE lots ADD COLUMN due date;
-- Test cards of one's own: colours, by their levels in hexadecimals, and pictures, by the digest of their file.
CREATE TABLE own_cards (
    card text PRIMARY KEY CHECK (card ~ '^([0-9a-f]{6}|[0-9a-f]{64})$'),
    name text NOT NULL,
    made_at timestamptz NOT NULL DEFAULT now()
);
