-- +goose Up
-- Keys with which programs act for somebody. The token itself is kept nowhere.
CREATE TABLE token (
  id        INTEGER PRIMARY KEY,
  person_id INTEGER NOT NULL REFERENCES person (id),
  name      TEXT NOT NULL,
  scope     TEXT NOT NULL,                -- "copy:read pieces:write"
  hash      TEXT NOT NULL UNIQUE,
  made_at   INTEGER NOT NULL,
  ends      INTEGER NOT NULL DEFAULT 0,   -- 0 for none
  used_at   INTEGER NOT NULL DEFAULT 0,
  used_from TEXT NOT NULL DEFAULT '',     -- the host that used it last
  ended_at  INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX token_person ON token (person_id);
-- What programs asked to be done once, by the key they gave it.
CREATE TABLE once (
  token_id INTEGER NOT NULL REFERENCES token (id),
  key      TEXT NOT NULL,
  asked    TEXT NOT NULL,                 -- hash of method, address and body
  status   INTEGER NOT NULL DEFAULT 0,    -- of the answer; 0 where it was done and the answer is not known
  type     TEXT NOT NULL DEFAULT '',
  headers  TEXT NOT NULL DEFAULT '',      -- ETag and Location, a line each
  answer   BLOB NOT NULL DEFAULT '',
  at       INTEGER NOT NULL,
  PRIMARY KEY (token_id, key)
) WITHOUT ROWID;
