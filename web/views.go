package web

// viewsView are the views that are kept under a name.
type viewsView struct{}
