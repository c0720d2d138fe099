package newsroom

import (
	"net/mail"

	"greenbaton/store"
)

// Address writes somebody as a mail is addressed.
func Address(p store.Person) string { return (&mail.Address{Name: p.Name, Address: p.Mail}).String() }
