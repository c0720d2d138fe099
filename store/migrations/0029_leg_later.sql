-- +goose Up
-- Legs that are run after a piece is out: due so many working days after that, held like any other.
ALTER TABLE leg ADD COLUMN later INTEGER NOT NULL DEFAULT 0;
CREATE INDEX leg_later ON leg (piece_id) WHERE later = 1 AND state IN ('waiting', 'running');
