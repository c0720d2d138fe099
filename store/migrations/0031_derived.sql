-- +goose Up
-- A leg after release can begin a piece of its own, which is linked both ways.
ALTER TABLE leg ADD COLUMN makes INTEGER NOT NULL DEFAULT 0; -- the format of the piece that it begins
ALTER TABLE piece ADD COLUMN derived_from INTEGER NOT NULL DEFAULT 0; -- the piece that it was begun from
ALTER TABLE piece ADD COLUMN derived_leg TEXT NOT NULL DEFAULT ''; -- and the leg of that
CREATE INDEX piece_derived ON piece (derived_from) WHERE derived_from <> 0;
