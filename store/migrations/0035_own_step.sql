-- +goose Up
-- Steps of a piece, or of a campaign, that belong to no leg.
CREATE TABLE own_step (
  id          INTEGER PRIMARY KEY,
  desk_id     INTEGER NOT NULL REFERENCES desk (id),
  piece_id    INTEGER NOT NULL DEFAULT 0,
  campaign_id INTEGER NOT NULL DEFAULT 0,
  text        TEXT NOT NULL,
  person_id   INTEGER NOT NULL DEFAULT 0, -- who does it, 0 is nobody in particular
  day         INTEGER NOT NULL DEFAULT 0, -- by which it is to be done, 0 is none
  minutes     INTEGER NOT NULL DEFAULT 0, -- that it takes
  by          INTEGER NOT NULL DEFAULT 0,
  at          INTEGER NOT NULL,
  told_day    INTEGER NOT NULL DEFAULT 0, -- the day of which they were reminded
  done_at     INTEGER NOT NULL DEFAULT 0,
  done_by     INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX own_step_desk ON own_step (desk_id);
CREATE INDEX own_step_piece ON own_step (piece_id) WHERE piece_id <> 0;
CREATE INDEX own_step_campaign ON own_step (campaign_id) WHERE campaign_id <> 0;
CREATE INDEX own_step_open ON own_step (person_id, day) WHERE done_at = 0;
