-- +goose Up
-- Money: what work costs by agreement, what a leg came to, statements, budgets and other costs. All
-- amounts are whole numbers of the smallest unit of a currency.
ALTER TABLE desk ADD COLUMN currency TEXT NOT NULL DEFAULT '';       -- ISO 4217; none has two decimals
ALTER TABLE desk ADD COLUMN rounding TEXT NOT NULL DEFAULT 'even';   -- even, commercial
ALTER TABLE desk ADD COLUMN unused_share INTEGER NOT NULL DEFAULT 50; -- per cent owed for work that is not used
ALTER TABLE desk ADD COLUMN rework_share INTEGER NOT NULL DEFAULT 0;  -- per cent owed each time work comes back
ALTER TABLE desk ADD COLUMN pay_within INTEGER NOT NULL DEFAULT 30;   -- days from a statement to its payment
ALTER TABLE person ADD COLUMN pay_within INTEGER NOT NULL DEFAULT 0;  -- of their own; 0 is those of the desk
ALTER TABLE person ADD COLUMN duties TEXT NOT NULL DEFAULT '';        -- what else they may do, with commas: check, pay
CREATE TABLE rate (
  id        INTEGER PRIMARY KEY,
  desk_id   INTEGER NOT NULL REFERENCES desk (id),
  person_id INTEGER NOT NULL DEFAULT 0,
  leg       TEXT NOT NULL DEFAULT '',     -- by its name
  role      TEXT NOT NULL DEFAULT '',
  format_id INTEGER NOT NULL DEFAULT 0,
  per       TEXT NOT NULL,                -- word, piece, hour
  rate      INTEGER NOT NULL,             -- in hundredths of the smallest unit
  least     INTEGER NOT NULL DEFAULT 0,
  most      INTEGER NOT NULL DEFAULT 0,
  retired   INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX rate_desk ON rate (desk_id);
CREATE TABLE fee (
  id           INTEGER PRIMARY KEY,
  desk_id      INTEGER NOT NULL REFERENCES desk (id),
  piece_id     INTEGER NOT NULL DEFAULT 0,
  leg          TEXT NOT NULL DEFAULT '',  -- its key
  name         TEXT NOT NULL DEFAULT '',  -- of the leg
  title        TEXT NOT NULL DEFAULT '',  -- of the piece, when it was last worked out
  person_id    INTEGER NOT NULL REFERENCES person (id),
  kind         TEXT NOT NULL,             -- work, rework, unused, correction
  state        TEXT NOT NULL,             -- agreed, accepted, checked, stated
  begun        INTEGER NOT NULL DEFAULT 0,
  by_owner     INTEGER NOT NULL DEFAULT 0,
  runs         INTEGER NOT NULL DEFAULT 0,
  per          TEXT NOT NULL DEFAULT '',
  rate         INTEGER NOT NULL DEFAULT 0,
  least        INTEGER NOT NULL DEFAULT 0,
  most         INTEGER NOT NULL DEFAULT 0,
  beyond       INTEGER NOT NULL DEFAULT 0,
  why          TEXT NOT NULL DEFAULT '',  -- which rule it is by, or who agreed otherwise
  currency     TEXT NOT NULL DEFAULT '',  -- of when it was agreed
  words        INTEGER NOT NULL DEFAULT 0,
  asked        INTEGER NOT NULL DEFAULT 0, -- the most words of the brief
  minutes      INTEGER NOT NULL DEFAULT 0, -- as who did it says
  share        INTEGER NOT NULL DEFAULT 100,
  times        INTEGER NOT NULL DEFAULT 1,
  amount       INTEGER NOT NULL DEFAULT 0,
  agreed_at    INTEGER NOT NULL,
  accepted_at  INTEGER NOT NULL DEFAULT 0,
  accepted_day INTEGER NOT NULL DEFAULT 0,
  checked_at   INTEGER NOT NULL DEFAULT 0,
  checked_by   INTEGER NOT NULL DEFAULT 0,
  reason       TEXT NOT NULL DEFAULT '',  -- why it went back, or what a correction is for
  statement_id INTEGER NOT NULL DEFAULT 0,
  corrects     INTEGER NOT NULL DEFAULT 0, -- the fee that a correction is of
  taker        TEXT NOT NULL DEFAULT '',  -- the leg whose pass accepted it
  taker_run    INTEGER NOT NULL DEFAULT 0,
  at_run       INTEGER NOT NULL DEFAULT 0  -- of the leg when it was accepted
);
CREATE INDEX fee_piece ON fee (piece_id);
CREATE INDEX fee_desk ON fee (desk_id, accepted_day);
CREATE INDEX fee_person ON fee (person_id, state);
CREATE TABLE statement (
  id        INTEGER PRIMARY KEY,
  desk_id   INTEGER NOT NULL REFERENCES desk (id),
  number    INTEGER NOT NULL,
  person_id INTEGER NOT NULL REFERENCES person (id),
  month     INTEGER NOT NULL,             -- its first day
  currency  TEXT NOT NULL DEFAULT '',
  total     INTEGER NOT NULL,
  made_at   INTEGER NOT NULL,
  made_day  INTEGER NOT NULL,
  made_by   INTEGER NOT NULL,
  due_day   INTEGER NOT NULL,
  paid_day  INTEGER NOT NULL DEFAULT 0,
  paid_by   INTEGER NOT NULL DEFAULT 0,
  UNIQUE (desk_id, number)
);
CREATE INDEX statement_person ON statement (person_id);
CREATE TABLE statement_line (
  statement_id INTEGER NOT NULL REFERENCES statement (id),
  position     INTEGER NOT NULL,
  fee_id       INTEGER NOT NULL UNIQUE REFERENCES fee (id),
  day          INTEGER NOT NULL,
  title        TEXT NOT NULL,
  name         TEXT NOT NULL,
  says         TEXT NOT NULL,
  amount       INTEGER NOT NULL,
  PRIMARY KEY (statement_id, position)
) WITHOUT ROWID;
CREATE TABLE budget (
  id          INTEGER PRIMARY KEY,
  desk_id     INTEGER NOT NULL REFERENCES desk (id),
  span        TEXT NOT NULL,              -- month, quarter, whole (of a campaign)
  format_id   INTEGER NOT NULL DEFAULT 0,
  channel_id  INTEGER NOT NULL DEFAULT 0,
  campaign_id INTEGER NOT NULL DEFAULT 0,
  amount      INTEGER NOT NULL,
  retired     INTEGER NOT NULL DEFAULT 0,
  told        TEXT NOT NULL DEFAULT ''    -- the span of which it was told that it is nearly spent
);
CREATE INDEX budget_desk ON budget (desk_id);
CREATE TABLE cost (
  id          INTEGER PRIMARY KEY,
  desk_id     INTEGER NOT NULL REFERENCES desk (id),
  day         INTEGER NOT NULL,
  note        TEXT NOT NULL,
  amount      INTEGER NOT NULL,
  currency    TEXT NOT NULL DEFAULT '',
  format_id   INTEGER NOT NULL DEFAULT 0,
  channel_id  INTEGER NOT NULL DEFAULT 0,
  campaign_id INTEGER NOT NULL DEFAULT 0,
  by          INTEGER NOT NULL DEFAULT 0,
  dropped     INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX cost_desk ON cost (desk_id, day);
