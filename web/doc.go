// Package web is the interface: routes, thin handlers that call one act or one
// question of package desk, view models and templates. Start with Server and
// its method routes; each page has a file and a template of its name.
package web
