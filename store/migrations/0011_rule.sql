-- House rules: what they are, what they did, and which moments of time they had their turn at.

-- +goose Up
CREATE TABLE rule (
  id INTEGER PRIMARY KEY,
  desk_id INTEGER NOT NULL REFERENCES desk(id),
  position INTEGER NOT NULL,
  is_on INTEGER NOT NULL DEFAULT 0,
  since INTEGER NOT NULL DEFAULT 0,    -- when it was switched on
  data TEXT NOT NULL,                  -- JSON, as in package rule
  retired INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX rule_of_desk ON rule (desk_id, position);

CREATE TABLE rule_run (
  id INTEGER PRIMARY KEY,
  rule_id INTEGER NOT NULL REFERENCES rule(id),
  at INTEGER NOT NULL,
  piece_id INTEGER NOT NULL DEFAULT 0,
  about TEXT NOT NULL,                 -- the title of the piece, or of the request
  event TEXT NOT NULL,                 -- as in package rule
  did TEXT NOT NULL,                   -- a line for each thing
  failed INTEGER NOT NULL DEFAULT 0    -- something of it could not be done
) STRICT;
CREATE INDEX rule_run_of_rule ON rule_run (rule_id, id);

CREATE TABLE rule_turn (
  rule_id INTEGER NOT NULL REFERENCES rule(id),
  piece_id INTEGER NOT NULL,
  about TEXT NOT NULL,                 -- the leg and its run, or the query
  n INTEGER NOT NULL,
  at INTEGER NOT NULL,
  PRIMARY KEY (rule_id, piece_id, about, n)
) STRICT, WITHOUT ROWID;

ALTER TABLE logbook ADD COLUMN events TEXT NOT NULL DEFAULT '';  -- what happened, as in package rule
ALTER TABLE logbook ADD COLUMN state TEXT NOT NULL DEFAULT '';   -- the piece after it, likewise
CREATE INDEX logbook_by_time ON logbook (desk_id, at);

-- +goose Down
DROP INDEX logbook_by_time;
ALTER TABLE logbook DROP COLUMN state; ALTER TABLE logbook DROP COLUMN events;
DROP TABLE rule_turn; DROP TABLE rule_run; DROP TABLE rule;
