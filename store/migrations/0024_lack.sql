-- +goose Up
-- What a leg wanted and did not have: somebody else was asked for it, or it was passed all the same.
CREATE TABLE lack (
  id INTEGER PRIMARY KEY,
  piece_id INTEGER NOT NULL REFERENCES piece (id),
  leg TEXT NOT NULL,
  run INTEGER NOT NULL,
  what TEXT NOT NULL,                    -- by its key
  of_person INTEGER NOT NULL DEFAULT 0,  -- who was asked; 0 where it was passed all the same
  by INTEGER NOT NULL DEFAULT 0,
  at INTEGER NOT NULL
);
CREATE INDEX lack_of_piece ON lack (piece_id);
CREATE INDEX lack_of_person ON lack (of_person) WHERE of_person <> 0;
