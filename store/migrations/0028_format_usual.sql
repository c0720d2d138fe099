-- +goose Up
-- What a piece of a format begins with, unless whoever makes it says otherwise.
ALTER TABLE format ADD COLUMN priority INTEGER NOT NULL DEFAULT 0;
ALTER TABLE format ADD COLUMN owner INTEGER NOT NULL DEFAULT 0; -- 0 is whoever makes it
ALTER TABLE format ADD COLUMN answers TEXT NOT NULL DEFAULT '{}'; -- JSON, of extra fields by id
