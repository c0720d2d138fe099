-- Verdicts: who is asked, by which private links, and what they said of which version.

-- +goose Up
ALTER TABLE person ADD COLUMN guest INTEGER NOT NULL DEFAULT 0;      -- is asked by private link only; has no account
ALTER TABLE person ADD COLUMN partner_id INTEGER NOT NULL DEFAULT 0; -- the partner they belong to
ALTER TABLE absence ADD COLUMN stand_in INTEGER NOT NULL DEFAULT 0;  -- who says yes or no for them meanwhile
ALTER TABLE channel ADD COLUMN partner_id INTEGER NOT NULL DEFAULT 0; -- whose pieces go out there

CREATE TABLE partner (
  id INTEGER PRIMARY KEY,
  desk_id INTEGER NOT NULL REFERENCES desk(id),
  name TEXT NOT NULL,
  retired INTEGER NOT NULL DEFAULT 0
) STRICT;

CREATE TABLE reviewer (
  id INTEGER PRIMARY KEY,
  piece_id INTEGER NOT NULL REFERENCES piece(id),
  leg TEXT NOT NULL DEFAULT '',        -- the key of the leg that waits for their verdict; none is only asked to read
  person_id INTEGER NOT NULL REFERENCES person(id),
  place INTEGER NOT NULL DEFAULT 0,    -- in the order in which they are asked
  may TEXT NOT NULL,                   -- read or comment
  note TEXT NOT NULL DEFAULT '',
  ends INTEGER NOT NULL DEFAULT 0,     -- until when their links open
  asked_by INTEGER NOT NULL,
  asked_at INTEGER NOT NULL DEFAULT 0, -- when they were told for the run below
  run INTEGER NOT NULL DEFAULT 0,
  opened_at INTEGER NOT NULL DEFAULT 0,
  opened_seq INTEGER NOT NULL DEFAULT 0, -- the edit of the copy that they saw last
  revoked_at INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX reviewer_of_piece ON reviewer (piece_id);
CREATE INDEX reviewer_person ON reviewer (person_id);

-- Private links. What is kept of one is its hash alone.
CREATE TABLE link (
  hash TEXT PRIMARY KEY,               -- SHA-256 of the token, hex
  kind TEXT NOT NULL,                  -- review, partner, password
  about INTEGER NOT NULL,              -- the reviewer, the partner, the person
  made_at INTEGER NOT NULL,
  ends INTEGER NOT NULL,
  used_at INTEGER NOT NULL DEFAULT 0,
  revoked_at INTEGER NOT NULL DEFAULT 0
) STRICT, WITHOUT ROWID;
CREATE INDEX link_about ON link (kind, about);

CREATE TABLE verdict (
  id INTEGER PRIMARY KEY,
  piece_id INTEGER NOT NULL REFERENCES piece(id),
  leg TEXT NOT NULL,
  run INTEGER NOT NULL,
  reviewer_id INTEGER NOT NULL DEFAULT 0, -- 0: the holder of the leg, who was asked by having it
  person_id INTEGER NOT NULL,          -- whose verdict it is
  by INTEGER NOT NULL,                 -- who said it: they themselves, who stands in, or who noted it
  say TEXT NOT NULL,
  text TEXT NOT NULL DEFAULT '',
  copy_version INTEGER NOT NULL,
  seq INTEGER NOT NULL,                -- the edit up to which the copy was read
  hash TEXT NOT NULL,                  -- SHA-256 of that copy, proposals left
  at INTEGER NOT NULL
) STRICT;
CREATE INDEX verdict_of_piece ON verdict (piece_id);

ALTER TABLE outbox ADD COLUMN link_kind TEXT NOT NULL DEFAULT '';  -- the private link that is made when it is delivered
ALTER TABLE outbox ADD COLUMN link_about INTEGER NOT NULL DEFAULT 0;

-- What the stand-in for mail was handed: the boxes of those who would get it.
CREATE TABLE room_mail (
  id INTEGER PRIMARY KEY,
  key TEXT NOT NULL UNIQUE,
  "to" TEXT NOT NULL,
  subject TEXT NOT NULL,
  text TEXT NOT NULL,
  html TEXT NOT NULL DEFAULT '',
  at INTEGER NOT NULL
) STRICT;

-- +goose Down
ALTER TABLE outbox DROP COLUMN link_about; ALTER TABLE outbox DROP COLUMN link_kind;
DROP TABLE room_mail; DROP TABLE verdict; DROP TABLE link; DROP TABLE reviewer; DROP TABLE partner;
ALTER TABLE channel DROP COLUMN partner_id; ALTER TABLE absence DROP COLUMN stand_in;
ALTER TABLE person DROP COLUMN partner_id; ALTER TABLE person DROP COLUMN guest;
