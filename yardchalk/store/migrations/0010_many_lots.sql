-- With a hundred thousand photos: what came in last, and how each lot stands, without reading the photos themselves.
CREATE INDEX photos_by_arrival ON photos (at DESC, id DESC);
CREATE INDEX photos_counted ON photos (lot_id, state, verdict, engine, id);
CREATE INDEX photos_with_own_sheet ON photos (sheet) WHERE sheet IS NOT NULL;
