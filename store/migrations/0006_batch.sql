-- +goose Up
-- A list that is brought in from a file: what was in it, and how far it is.
CREATE TABLE batch (
  id INTEGER PRIMARY KEY,
  desk_id INTEGER NOT NULL REFERENCES desk(id),
  kind TEXT NOT NULL,                  -- ideas, phrases or lineup
  name TEXT NOT NULL,                  -- of the file
  sheet TEXT NOT NULL,                 -- JSON, what was read from it
  plan TEXT NOT NULL,                  -- JSON, how its columns are read
  state TEXT NOT NULL,                 -- looked at, coming in, in, taken back
  by INTEGER NOT NULL,
  at INTEGER NOT NULL,
  done INTEGER NOT NULL DEFAULT 0,     -- rows that were dealt with
  came INTEGER NOT NULL DEFAULT 0,     -- of them, those that came in
  every INTEGER NOT NULL DEFAULT 0     -- clashes too
) STRICT;
CREATE INDEX batch_of_desk ON batch (desk_id, id);
ALTER TABLE piece ADD COLUMN batch_id INTEGER NOT NULL DEFAULT 0;
CREATE INDEX piece_in_batch ON piece (batch_id) WHERE batch_id <> 0;

-- +goose Down
DROP INDEX piece_in_batch; ALTER TABLE piece DROP COLUMN batch_id; DROP TABLE batch;
