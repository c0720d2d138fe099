// Package kit is what all sections of the interface stand on: the server with its sessions,
// who is signed in and at which desk, pages and their parts, forms and what is read from
// them, refusals, files that come in, pages that stay up to date, and the common sentences.
// It knows no section; those register with Server.Handler.
package kit
