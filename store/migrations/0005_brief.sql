-- +goose Up
-- What a format asks of a brief, and the sections with which its copies begin.
ALTER TABLE format ADD COLUMN brief_form TEXT NOT NULL DEFAULT '';  -- JSON, as in package brief; nothing is the usual
ALTER TABLE format ADD COLUMN outline TEXT NOT NULL DEFAULT '';     -- JSON, as in package brief
ALTER TABLE format ADD COLUMN titled INTEGER NOT NULL DEFAULT 0;    -- a title is chosen before the writing begins
ALTER TABLE piece ADD COLUMN from_piece INTEGER NOT NULL DEFAULT 0; -- the piece whose shape it has
ALTER TABLE piece ADD COLUMN edition INTEGER NOT NULL DEFAULT 0;    -- which edition of that piece it is; 0 for another piece

-- The versions of a brief. Until the writing begins there is one.
CREATE TABLE brief (
  piece_id INTEGER NOT NULL REFERENCES piece(id),
  version INTEGER NOT NULL,
  says TEXT NOT NULL,                  -- JSON, as in package brief
  by INTEGER NOT NULL,
  at INTEGER NOT NULL,
  PRIMARY KEY (piece_id, version)
) STRICT, WITHOUT ROWID;
INSERT INTO brief SELECT id, 1, json_object('from', words_from, 'to', words_to, 'about', brief, 'answers', json('{}')), owner, created_at FROM piece;

-- How to write a piece of a format, every version.
CREATE TABLE guide (
  format_id INTEGER NOT NULL REFERENCES format(id),
  version INTEGER NOT NULL,
  text TEXT NOT NULL,                  -- JSON, as in package copy
  example INTEGER NOT NULL DEFAULT 0,  -- a piece that shows it
  by INTEGER NOT NULL,
  at INTEGER NOT NULL,
  PRIMARY KEY (format_id, version)
) STRICT, WITHOUT ROWID;

-- Titles and lead pictures to choose from.
CREATE TABLE candidate (
  id INTEGER PRIMARY KEY,
  piece_id INTEGER NOT NULL REFERENCES piece(id),
  kind TEXT NOT NULL,                  -- title or picture
  text TEXT NOT NULL,                  -- the title, or what the picture shows
  file_id INTEGER NOT NULL DEFAULT 0,
  by INTEGER NOT NULL,
  at INTEGER NOT NULL,
  chosen_by INTEGER NOT NULL DEFAULT 0,
  chosen_at INTEGER NOT NULL DEFAULT 0,
  dropped INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX candidate_of_piece ON candidate (piece_id);
CREATE TABLE vote (
  candidate_id INTEGER NOT NULL REFERENCES candidate(id),
  person_id INTEGER NOT NULL REFERENCES person(id),
  PRIMARY KEY (candidate_id, person_id)
) STRICT, WITHOUT ROWID;

-- What was found out for a piece: notes and links, and what is said about them.
CREATE TABLE finding (
  id INTEGER PRIMARY KEY,
  piece_id INTEGER NOT NULL REFERENCES piece(id),
  about INTEGER NOT NULL DEFAULT 0,    -- the finding that it is a comment on
  text TEXT NOT NULL,
  link TEXT NOT NULL DEFAULT '',
  file_id INTEGER NOT NULL DEFAULT 0,
  by INTEGER NOT NULL,
  at INTEGER NOT NULL,
  dropped INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX finding_of_piece ON finding (piece_id);

CREATE TABLE file (
  id INTEGER PRIMARY KEY,
  piece_id INTEGER NOT NULL DEFAULT 0,
  request_id INTEGER NOT NULL DEFAULT 0,
  name TEXT NOT NULL,
  type TEXT NOT NULL,                  -- what its bytes are, not what its name says
  size INTEGER NOT NULL,
  data BLOB NOT NULL,
  by INTEGER NOT NULL DEFAULT 0,
  at INTEGER NOT NULL
) STRICT;
CREATE INDEX file_of_piece ON file (piece_id) WHERE piece_id <> 0;
CREATE INDEX file_of_request ON file (request_id) WHERE request_id <> 0;

-- +goose Down
DROP TABLE file; DROP TABLE finding; DROP TABLE vote; DROP TABLE candidate; DROP TABLE guide; DROP TABLE brief;
ALTER TABLE piece DROP COLUMN edition; ALTER TABLE piece DROP COLUMN from_piece;
ALTER TABLE format DROP COLUMN titled; ALTER TABLE format DROP COLUMN outline; ALTER TABLE format DROP COLUMN brief_form;
