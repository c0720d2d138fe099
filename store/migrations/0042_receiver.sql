-- +goose Up
-- Programs elsewhere to which events of a desk are posted, signed. What is posted waits in outbox, of
-- the kind event, to the number of its receiver.
CREATE TABLE receiver (
  id      INTEGER PRIMARY KEY,
  desk_id INTEGER NOT NULL REFERENCES desk (id),
  name    TEXT NOT NULL,
  url     TEXT NOT NULL,
  secret  TEXT NOT NULL,
  kinds   TEXT NOT NULL DEFAULT '',      -- of events, with commas
  is_on   INTEGER NOT NULL DEFAULT 1,
  retired INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX receiver_desk ON receiver (desk_id);
