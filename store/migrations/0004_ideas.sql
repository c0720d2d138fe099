-- +goose Up
-- What may become a piece. Nothing but a title is asked for.
CREATE TABLE idea (
  id INTEGER PRIMARY KEY,
  desk_id INTEGER NOT NULL REFERENCES desk(id),
  title TEXT NOT NULL,
  notes TEXT NOT NULL DEFAULT '',
  links TEXT NOT NULL DEFAULT '',      -- an address a line
  source TEXT NOT NULL,
  origin TEXT NOT NULL DEFAULT '',     -- who or what it came from
  phrase TEXT NOT NULL DEFAULT '',     -- a search phrase it would answer
  volume INTEGER NOT NULL DEFAULT 0,   -- how often that is looked for in a month
  difficulty INTEGER NOT NULL DEFAULT 0,
  reach INTEGER NOT NULL DEFAULT 0,    -- 1 to 5, 0 not judged yet; fit and effort as well
  fit INTEGER NOT NULL DEFAULT 0,
  effort INTEGER NOT NULL DEFAULT 0,
  tags TEXT NOT NULL DEFAULT '',       -- in order, with commas
  state TEXT NOT NULL,
  why TEXT NOT NULL DEFAULT '',
  until INTEGER NOT NULL DEFAULT 0,    -- the day until which it rests
  piece_id INTEGER NOT NULL DEFAULT 0, -- what it became
  by INTEGER NOT NULL,
  caught_at INTEGER NOT NULL,
  settled_by INTEGER NOT NULL DEFAULT 0,
  settled_at INTEGER NOT NULL DEFAULT 0,
  batch_id INTEGER NOT NULL DEFAULT 0, -- the list it was brought in with
  key TEXT NOT NULL DEFAULT '',        -- by which the device that caught it knows it
  version INTEGER NOT NULL DEFAULT 1
) STRICT;
CREATE UNIQUE INDEX idea_once ON idea (by, key) WHERE key <> '';
CREATE INDEX idea_in_batch ON idea (batch_id) WHERE batch_id <> 0;
CREATE INDEX idea_of_piece ON idea (piece_id) WHERE piece_id <> 0;

-- How much a desk makes of reach, fit and little effort; all 0 is the usual.
ALTER TABLE desk ADD COLUMN weigh_reach INTEGER NOT NULL DEFAULT 0;
ALTER TABLE desk ADD COLUMN weigh_fit INTEGER NOT NULL DEFAULT 0;
ALTER TABLE desk ADD COLUMN weigh_effort INTEGER NOT NULL DEFAULT 0;

ALTER TABLE inbox ADD COLUMN link TEXT NOT NULL DEFAULT ''; -- where it leads, when not to a piece

-- +goose Down
ALTER TABLE inbox DROP COLUMN link;
ALTER TABLE desk DROP COLUMN weigh_effort; ALTER TABLE desk DROP COLUMN weigh_fit; ALTER TABLE desk DROP COLUMN weigh_reach;
DROP TABLE idea;
