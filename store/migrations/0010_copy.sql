-- +goose Up
-- Every edit of a copy, in the order in which they were taken.
CREATE TABLE copy_edit (
  piece_id INTEGER NOT NULL REFERENCES piece(id),
  seq INTEGER NOT NULL,
  by INTEGER NOT NULL,
  client TEXT NOT NULL,                -- the open page it came from, and
  turn INTEGER NOT NULL,               -- its number there: sent twice, it is taken once
  at INTEGER NOT NULL,
  change TEXT NOT NULL,                -- JSON, as in package copy
  PRIMARY KEY (piece_id, seq)
) STRICT, WITHOUT ROWID;
CREATE UNIQUE INDEX copy_edit_once ON copy_edit (piece_id, client, turn);

ALTER TABLE copy ADD COLUMN seq INTEGER NOT NULL DEFAULT 0;      -- the last edit that is in it
ALTER TABLE copy ADD COLUMN people TEXT NOT NULL DEFAULT '';     -- the ids of who wrote in this sitting
ALTER TABLE copy ADD COLUMN label TEXT NOT NULL DEFAULT '';      -- what happened with it; from then on it stays

ALTER TABLE leg ADD COLUMN proposes INTEGER NOT NULL DEFAULT 0;
ALTER TABLE leg ADD COLUMN sign_off INTEGER NOT NULL DEFAULT 0;

-- Pictures made smaller for pages.
CREATE TABLE file_small (
  file_id INTEGER PRIMARY KEY REFERENCES file(id),
  type TEXT NOT NULL,
  data BLOB NOT NULL
) STRICT;

-- Files that belong to a piece, of which the newest version counts; one of them is its
-- lead picture.
CREATE TABLE attachment (
  id INTEGER PRIMARY KEY,
  piece_id INTEGER NOT NULL REFERENCES piece(id),
  name TEXT NOT NULL,
  alt TEXT NOT NULL DEFAULT '',        -- a picture in words, for who does not see it
  lead INTEGER NOT NULL DEFAULT 0,
  dropped INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX attachment_of_piece ON attachment (piece_id);
CREATE TABLE attachment_version (
  attachment_id INTEGER NOT NULL REFERENCES attachment(id),
  version INTEGER NOT NULL,
  file_id INTEGER NOT NULL REFERENCES file(id),
  by INTEGER NOT NULL,
  at INTEGER NOT NULL,
  PRIMARY KEY (attachment_id, version)
) STRICT;

-- What copies are checked by.
ALTER TABLE desk ADD COLUMN language TEXT NOT NULL DEFAULT 'en-GB';  -- of its spelling, as in BCP 47
ALTER TABLE desk ADD COLUMN own_words TEXT NOT NULL DEFAULT '';      -- that are spelt right here, a line each
ALTER TABLE desk ADD COLUMN house_style TEXT NOT NULL DEFAULT '';    -- "not → say (why)", a line each
ALTER TABLE format ADD COLUMN checks TEXT NOT NULL DEFAULT '';       -- JSON, as in package check
CREATE TABLE link_tried (
  address TEXT PRIMARY KEY,
  problem TEXT NOT NULL,               -- why it did not answer; empty if it did
  at INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

-- What somebody asks about a copy.
CREATE TABLE query (
  id INTEGER PRIMARY KEY,
  piece_id INTEGER NOT NULL REFERENCES piece(id),
  about TEXT NOT NULL,                 -- words, picture or piece
  quote TEXT NOT NULL DEFAULT '',      -- the words, as they were
  file_id INTEGER NOT NULL DEFAULT 0,  -- the picture
  x INTEGER NOT NULL DEFAULT 0,        -- the point on it, in hundredths
  y INTEGER NOT NULL DEFAULT 0,
  text TEXT NOT NULL,
  for_id INTEGER NOT NULL DEFAULT 0,   -- whom it is for; 0 is whoever works on the piece
  only INTEGER NOT NULL DEFAULT 0,     -- only they may settle it
  reason INTEGER NOT NULL DEFAULT 0,   -- the piece was sent back with it: the run of the leg it went to
  leg TEXT NOT NULL DEFAULT '',        -- which leg that was
  by INTEGER NOT NULL,
  at INTEGER NOT NULL,
  settled_by INTEGER NOT NULL DEFAULT 0,
  settled_at INTEGER NOT NULL DEFAULT 0,
  heard_at INTEGER NOT NULL DEFAULT 0  -- the last word on it
) STRICT;
CREATE INDEX query_of_piece ON query (piece_id, id);
CREATE INDEX query_open ON query (settled_at, for_id);

CREATE TABLE answer (
  id INTEGER PRIMARY KEY,
  query_id INTEGER NOT NULL REFERENCES query(id),
  by INTEGER NOT NULL,
  at INTEGER NOT NULL,
  text TEXT NOT NULL,
  file_id INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX answer_to ON answer (query_id);

CREATE VIRTUAL TABLE query_words USING fts5 (words, tokenize = 'unicode61 remove_diacritics 2');
-- +goose StatementBegin
CREATE TRIGGER query_words_add AFTER INSERT ON query BEGIN
  INSERT INTO query_words (rowid, words) VALUES (new.id, new.text || ' ' || new.quote);
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER query_words_more AFTER INSERT ON answer BEGIN
  UPDATE query_words SET words = words || ' ' || new.text WHERE rowid = new.query_id;
END;
-- +goose StatementEnd

-- How far somebody has read a copy.
CREATE TABLE copy_read (
  piece_id INTEGER NOT NULL REFERENCES piece(id),
  person_id INTEGER NOT NULL REFERENCES person(id),
  seq INTEGER NOT NULL,                -- the newest edit that was there
  before INTEGER NOT NULL,             -- the same of the visit before
  at INTEGER NOT NULL,
  PRIMARY KEY (piece_id, person_id)
) STRICT, WITHOUT ROWID;

-- +goose Down
DROP TABLE copy_read; DROP TABLE query_words; DROP TABLE answer; DROP TABLE query; DROP TABLE copy_edit;
DROP TABLE attachment_version; DROP TABLE attachment; DROP TABLE file_small; DROP TABLE link_tried; ALTER TABLE format DROP COLUMN checks;
ALTER TABLE desk DROP COLUMN house_style; ALTER TABLE desk DROP COLUMN own_words; ALTER TABLE desk DROP COLUMN language;
ALTER TABLE leg DROP COLUMN sign_off; ALTER TABLE leg DROP COLUMN proposes;
ALTER TABLE copy DROP COLUMN label; ALTER TABLE copy DROP COLUMN people; ALTER TABLE copy DROP COLUMN seq;
