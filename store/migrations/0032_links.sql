-- +goose Up
-- Where a desk says that pieces are out, and short links that are counted when they are followed.
ALTER TABLE desk ADD COLUMN announce TEXT NOT NULL DEFAULT '{}'; -- JSON, places and the pattern of links
CREATE TABLE short_link (
  token    TEXT PRIMARY KEY,
  piece_id INTEGER NOT NULL REFERENCES piece (id),
  place    TEXT NOT NULL,
  clicks   INTEGER NOT NULL DEFAULT 0,
  last_at  INTEGER NOT NULL DEFAULT 0
);
CREATE UNIQUE INDEX short_link_piece ON short_link (piece_id, place);
