-- +goose Up
-- Each foreign key begins an index, so that what refers to a row is found without a look at the whole table.
CREATE INDEX channel_by_desk ON channel (desk_id);
CREATE INDEX slot_by_channel ON slot (channel_id);
CREATE INDEX person_desk_by_desk ON person_desk (desk_id);
CREATE INDEX absence_by_person ON absence (person_id);
CREATE INDEX format_by_desk ON format (desk_id);
CREATE INDEX format_by_channel ON format (channel_id);
CREATE INDEX piece_of_format ON piece (format_id);
CREATE INDEX piece_of_route ON piece (route_id);
CREATE INDEX field_value_by_field ON field_value (field_id);
CREATE INDEX topic_by_desk ON topic (desk_id);
CREATE INDEX campaign_by_desk ON campaign (desk_id);
CREATE INDEX idea_by_desk ON idea (desk_id);
CREATE INDEX vote_by_person ON vote (person_id);
CREATE INDEX form_by_desk ON form (desk_id);
CREATE INDEX request_by_form ON request (form_id);
CREATE INDEX attachment_version_by_file ON attachment_version (file_id);
CREATE INDEX copy_read_by_person ON copy_read (person_id);
CREATE INDEX partner_by_desk ON partner (desk_id);
CREATE INDEX hook_by_desk ON hook (desk_id);
CREATE INDEX device_by_person ON device (person_id);
CREATE INDEX follow_by_person ON follow (person_id);
-- What is dropped after a while is found by when it was delivered or read.
CREATE INDEX outbox_by_sent ON outbox (sent_at) WHERE sent_at > 0;
CREATE INDEX inbox_by_read ON inbox (read_at) WHERE read_at > 0;

-- +goose Down
DROP INDEX inbox_by_read;
DROP INDEX outbox_by_sent;
DROP INDEX follow_by_person;
DROP INDEX device_by_person;
DROP INDEX hook_by_desk;
DROP INDEX partner_by_desk;
DROP INDEX copy_read_by_person;
DROP INDEX attachment_version_by_file;
DROP INDEX request_by_form;
DROP INDEX form_by_desk;
DROP INDEX vote_by_person;
DROP INDEX idea_by_desk;
DROP INDEX campaign_by_desk;
DROP INDEX topic_by_desk;
DROP INDEX field_value_by_field;
DROP INDEX piece_of_route;
DROP INDEX piece_of_format;
DROP INDEX format_by_channel;
DROP INDEX format_by_desk;
DROP INDEX absence_by_person;
DROP INDEX person_desk_by_desk;
DROP INDEX slot_by_channel;
DROP INDEX channel_by_desk;
