// Package post holds what the house delivers to: mail and publishing sites.
// Each is an interface of package desk; the stand-ins that ship with the
// program are Room and Site, the real mail is SMTP.
package post
