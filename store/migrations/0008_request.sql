-- +goose Up
-- Forms by which others ask a desk for something, and what was asked.
CREATE TABLE form (
  id INTEGER PRIMARY KEY,
  desk_id INTEGER NOT NULL REFERENCES desk(id),
  slug TEXT NOT NULL UNIQUE,           -- the end of its address
  name TEXT NOT NULL,
  intro TEXT NOT NULL DEFAULT '',
  asks TEXT NOT NULL DEFAULT '[]',     -- JSON, its fields, as in package request
  format INTEGER NOT NULL DEFAULT 0,   -- of the piece, unless an answer brings another
  anyone INTEGER NOT NULL DEFAULT 0,   -- also who has no account
  open INTEGER NOT NULL DEFAULT 1
) STRICT;

CREATE TABLE request (
  id INTEGER PRIMARY KEY,
  desk_id INTEGER NOT NULL REFERENCES desk(id),
  form_id INTEGER NOT NULL REFERENCES form(id),
  title TEXT NOT NULL,
  name TEXT NOT NULL,                  -- who asks
  mail TEXT NOT NULL,
  person_id INTEGER NOT NULL DEFAULT 0, -- likewise, when signed in
  wanted INTEGER NOT NULL DEFAULT 0,   -- the day
  answers TEXT NOT NULL,               -- JSON, as in package request
  format INTEGER NOT NULL DEFAULT 0,   -- that its answers brought
  state TEXT NOT NULL,                 -- new, asked back, taken or turned down
  why TEXT NOT NULL DEFAULT '',
  piece_id INTEGER NOT NULL DEFAULT 0, -- that was made of it
  at INTEGER NOT NULL,
  settled_by INTEGER NOT NULL DEFAULT 0,
  settled_at INTEGER NOT NULL DEFAULT 0,
  version INTEGER NOT NULL DEFAULT 1
) STRICT;
CREATE INDEX request_of_desk ON request (desk_id, state, id);

-- What is said about a request.
CREATE TABLE word (
  id INTEGER PRIMARY KEY,
  request_id INTEGER NOT NULL REFERENCES request(id),
  by INTEGER NOT NULL DEFAULT 0,       -- 0 is whoever asked
  text TEXT NOT NULL,
  at INTEGER NOT NULL
) STRICT;
CREATE INDEX word_of_request ON word (request_id);

-- +goose Down
DROP TABLE word; DROP TABLE request; DROP TABLE form;
