-- +goose Up
-- A sketch is changes of the plan that somebody tries together, seen by nobody else.
CREATE TABLE sketch (
  id      INTEGER PRIMARY KEY,
  desk_id INTEGER NOT NULL REFERENCES desk (id),
  owner   INTEGER NOT NULL REFERENCES person (id),
  name    TEXT NOT NULL, -- '' until it is kept under one
  changes TEXT NOT NULL, -- JSON, in the order in which they are carried out
  seen    TEXT NOT NULL, -- JSON, what they came to when its owner last saw it
  news    TEXT NOT NULL, -- JSON, what of that became otherwise since
  at      INTEGER NOT NULL -- when it was last changed
);
CREATE INDEX sketch_owner ON sketch (owner, desk_id);
CREATE INDEX sketch_desk ON sketch (desk_id);
