-- +goose Up
-- What goes with a piece when it goes out, and that it was given to its channel for a time.
ALTER TABLE channel ADD COLUMN asks TEXT NOT NULL DEFAULT '{}'; -- JSON, what it asks of a release sheet
ALTER TABLE piece ADD COLUMN slug TEXT NOT NULL DEFAULT ''; -- its address on the channel; '' is made of number and title
ALTER TABLE piece ADD COLUMN scheduled_for INTEGER NOT NULL DEFAULT 0; -- the time for which its channel has it; it is scheduled while that is its time
ALTER TABLE piece ADD COLUMN scheduled_by INTEGER NOT NULL DEFAULT 0; -- who gave it to the channel; 0 is the program
ALTER TABLE piece ADD COLUMN warned_for INTEGER NOT NULL DEFAULT 0; -- the time about which it was told that it was not scheduled
ALTER TABLE piece ADD COLUMN is_scheduled INTEGER NOT NULL DEFAULT 0; -- worked out, like its pace
CREATE TABLE release_sheet (
  piece_id INTEGER PRIMARY KEY REFERENCES piece (id),
  related  TEXT NOT NULL, -- JSON, pieces
  next     TEXT NOT NULL, -- JSON, pieces
  fields   TEXT NOT NULL, -- JSON, by the keys of the channel's
  drafted  TEXT NOT NULL, -- JSON, the parts that were drafted and not kept
  seal     TEXT NOT NULL -- of what would go out, when it was scheduled
);
CREATE INDEX piece_slug ON piece (channel_id, slug) WHERE slug <> '';
