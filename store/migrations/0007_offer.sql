-- +goose Up
ALTER TABLE leg ADD COLUMN offered TEXT NOT NULL DEFAULT '';    -- to whom it is open, ids with commas; nobody is whoever runs its role
ALTER TABLE leg ADD COLUMN fee INTEGER NOT NULL DEFAULT 0;      -- in hundredths of the desk's money
ALTER TABLE leg ADD COLUMN taken_at INTEGER NOT NULL DEFAULT 0; -- when its holder took it; 0 when it was given to them
ALTER TABLE desk ADD COLUMN hold_most INTEGER NOT NULL DEFAULT 0;  -- legs a freelancer may hold when taking one; 0 is any number
ALTER TABLE desk ADD COLUMN lose_after INTEGER NOT NULL DEFAULT 0; -- working days without a record after which a taken leg goes back; 0 never
ALTER TABLE desk ADD COLUMN money TEXT NOT NULL DEFAULT '';        -- how fees are written, like £

-- +goose Down
ALTER TABLE desk DROP COLUMN money; ALTER TABLE desk DROP COLUMN lose_after; ALTER TABLE desk DROP COLUMN hold_most;
ALTER TABLE leg DROP COLUMN taken_at; ALTER TABLE leg DROP COLUMN fee; ALTER TABLE leg DROP COLUMN offered;
