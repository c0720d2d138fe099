-- +goose Up
-- What pieces did: measures of a desk, their figures by piece and day, aims and outcomes.
CREATE TABLE measure (
  id         INTEGER PRIMARY KEY,
  desk_id    INTEGER NOT NULL REFERENCES desk (id),
  name       TEXT NOT NULL,
  unit       TEXT NOT NULL DEFAULT '',
  how        TEXT NOT NULL,               -- added, averaged, last
  better     TEXT NOT NULL DEFAULT '',    -- more, fewer, or neither
  weighed_by INTEGER NOT NULL DEFAULT 0,  -- the measure by which days are weighed that are averaged
  counts     TEXT NOT NULL DEFAULT '',    -- what the program counts for it: visits, clicks
  main       INTEGER NOT NULL DEFAULT 0,  -- it is shown first
  retired    INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX measure_desk ON measure (desk_id);
CREATE TABLE figure (
  piece_id   INTEGER NOT NULL REFERENCES piece (id),
  measure_id INTEGER NOT NULL REFERENCES measure (id),
  day        INTEGER NOT NULL,
  source     TEXT NOT NULL,               -- what it is from: hand, list 3, log 14 (an hour), visits, clicks, program
  value      REAL NOT NULL,
  at         INTEGER NOT NULL,
  stands     INTEGER NOT NULL DEFAULT 1,  -- no later one from elsewhere takes its place
  PRIMARY KEY (piece_id, measure_id, day, source)
) WITHOUT ROWID;
CREATE INDEX figure_measure ON figure (measure_id, day);
CREATE INDEX figure_list ON figure (source) WHERE source LIKE 'list %';
CREATE TABLE figure_sum ( -- worked out from the figures of a piece
  piece_id   INTEGER NOT NULL REFERENCES piece (id),
  measure_id INTEGER NOT NULL REFERENCES measure (id),
  first1     REAL NOT NULL,
  first7     REAL NOT NULL,
  first28    REAL NOT NULL,
  total      REAL NOT NULL,
  knows      INTEGER NOT NULL,            -- which of these there are, a bit each
  from_day   INTEGER NOT NULL,
  to_day     INTEGER NOT NULL,
  PRIMARY KEY (piece_id, measure_id)
) WITHOUT ROWID;
CREATE INDEX figure_sum_measure ON figure_sum (measure_id);
CREATE TABLE figure_month ( -- and by month
  measure_id INTEGER NOT NULL REFERENCES measure (id),
  month      INTEGER NOT NULL,            -- its first day
  piece_id   INTEGER NOT NULL REFERENCES piece (id),
  value      REAL NOT NULL,
  weight     REAL NOT NULL DEFAULT 1,
  PRIMARY KEY (measure_id, month, piece_id)
) WITHOUT ROWID;
CREATE INDEX figure_month_piece ON figure_month (piece_id);
CREATE TABLE aim ( -- what a piece or a campaign is to reach
  id          INTEGER PRIMARY KEY,
  piece_id    INTEGER NOT NULL DEFAULT 0,
  campaign_id INTEGER NOT NULL DEFAULT 0,
  measure_id  INTEGER NOT NULL DEFAULT 0, -- none is pieces that are out
  value       REAL NOT NULL,
  by_day      INTEGER NOT NULL DEFAULT 0  -- none is four weeks after release, or the end of the campaign
);
CREATE INDEX aim_piece ON aim (piece_id) WHERE piece_id <> 0;
CREATE INDEX aim_campaign ON aim (campaign_id) WHERE campaign_id <> 0;
CREATE TABLE outcome ( -- how a piece or a campaign did, as somebody says
  id          INTEGER PRIMARY KEY,
  piece_id    INTEGER NOT NULL DEFAULT 0,
  campaign_id INTEGER NOT NULL DEFAULT 0,
  said        TEXT NOT NULL,              -- worked, partly, not
  learnt      TEXT NOT NULL DEFAULT '',
  by          INTEGER NOT NULL DEFAULT 0,
  at          INTEGER NOT NULL
);
CREATE UNIQUE INDEX outcome_piece ON outcome (piece_id) WHERE piece_id <> 0;
CREATE UNIQUE INDEX outcome_campaign ON outcome (campaign_id) WHERE campaign_id <> 0;
CREATE TABLE goal ( -- of a quarter
  id         INTEGER PRIMARY KEY,
  desk_id    INTEGER NOT NULL REFERENCES desk (id),
  name       TEXT NOT NULL,
  quarter    INTEGER NOT NULL,            -- its first day
  measure_id INTEGER NOT NULL DEFAULT 0,  -- none is pieces that are out
  target     REAL NOT NULL,
  sieve      TEXT NOT NULL DEFAULT ''     -- what counts toward it, as views are addressed
);
CREATE INDEX goal_desk ON goal (desk_id, quarter);
ALTER TABLE campaign ADD COLUMN owner INTEGER NOT NULL DEFAULT 0;
ALTER TABLE desk ADD COLUMN ask_after INTEGER NOT NULL DEFAULT 28; -- days after release that it is asked how a piece did; 0 is never
ALTER TABLE desk ADD COLUMN people_open INTEGER NOT NULL DEFAULT 0; -- everybody on it sees the figures of people
