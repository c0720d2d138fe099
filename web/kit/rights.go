package kit

import (
	"fmt"
	"html/template"
	"reflect"
	"slices"
	"text/template/parse"

	"greenbaton/core/relay"
)

// knownRights refuses templates that ask whether something may be done under a key which
// the table of rights does not have, or that is not written out.
func knownRights(t *template.Template) error {
	for _, x := range t.Templates() {
		if x.Tree == nil {
			continue
		}
		var failed error
		commands(x.Tree.Root, func(c *parse.CommandNode) {
			name, ok := c.Args[0].(*parse.IdentifierNode)
			if !ok || name.Ident != "may" || failed != nil {
				return
			}
			key, ok := c.Args[len(c.Args)-1].(*parse.StringNode)
			if len(c.Args) != 3 || !ok {
				failed = fmt.Errorf("template %s: %s does not name a right", x.Name(), c)
			} else if !slices.ContainsFunc(relay.Rights, func(r relay.Right) bool { return string(r.Act) == key.Text }) {
				failed = fmt.Errorf("template %s: there is no right %q", x.Name(), key.Text)
			}
		})
		if failed != nil {
			return failed
		}
	}
	return nil
}

// commands goes through every command below a node of a template.
func commands(n parse.Node, visit func(*parse.CommandNode)) {
	if n == nil || reflect.ValueOf(n).IsNil() {
		return
	}
	pipe := func(p *parse.PipeNode) {
		if p != nil {
			commands(p, visit)
		}
	}
	branch := func(b *parse.BranchNode) {
		pipe(b.Pipe)
		commands(b.List, visit)
		commands(b.ElseList, visit)
	}
	switch x := n.(type) {
	case *parse.ListNode:
		for _, y := range x.Nodes {
			commands(y, visit)
		}
	case *parse.ActionNode:
		pipe(x.Pipe)
	case *parse.PipeNode:
		for _, c := range x.Cmds {
			commands(c, visit)
		}
	case *parse.CommandNode:
		visit(x)
		for _, a := range x.Args {
			commands(a, visit)
		}
	case *parse.IfNode:
		branch(&x.BranchNode)
	case *parse.RangeNode:
		branch(&x.BranchNode)
	case *parse.WithNode:
		branch(&x.BranchNode)
	case *parse.TemplateNode:
		pipe(x.Pipe)
	case *parse.ChainNode:
		commands(x.Node, visit)
	}
}
