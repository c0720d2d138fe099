// Package weblog counts visits of pieces in the logs of web servers, in the Common and Combined
// Log Format as the documentation of the Apache HTTP Server describes them (mod_log_config), and
// as they happen. One visit is the same address and agent at the same piece, until nothing of
// them came for half an hour. Addresses are hashed with a salt of the day and thrown away.
package weblog
