-- +goose Up
-- Addresses at which a calendar program asks for what somebody sees. The token is kept nowhere.
CREATE TABLE calendar (
  id        INTEGER PRIMARY KEY,
  person_id INTEGER NOT NULL REFERENCES person (id),
  desk_id   INTEGER NOT NULL REFERENCES desk (id),
  kind      TEXT NOT NULL,                -- legs, pieces
  query     TEXT NOT NULL DEFAULT '',     -- of the pieces, as in the address of a list
  view_id   INTEGER NOT NULL DEFAULT 0,   -- the kept view whose pieces they are, instead of a query
  name      TEXT NOT NULL,
  hash      TEXT NOT NULL UNIQUE,
  made_at   INTEGER NOT NULL,
  used_at   INTEGER NOT NULL DEFAULT 0,
  ended_at  INTEGER NOT NULL DEFAULT 0,
  shown     TEXT NOT NULL DEFAULT ''      -- what it has shown, as JSON
);
CREATE INDEX calendar_person ON calendar (person_id);
CREATE INDEX calendar_desk ON calendar (desk_id);
