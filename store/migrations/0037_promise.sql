-- +goose Up
-- The day that a piece had when its first leg began, by which it is told whether it went out on its day.
CREATE TABLE promise (
  piece_id INTEGER PRIMARY KEY REFERENCES piece (id),
  day      INTEGER NOT NULL,
  moved_to INTEGER NOT NULL DEFAULT 0 -- the day somebody chose instead while the one before was still to come
);
