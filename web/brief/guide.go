package brief

import (
	"net/url"

	"greenbaton/core/brief"
	"greenbaton/core/english"
	"greenbaton/web/kit"
)

// SectionView is a section of an outline in a form.
type SectionView struct {
	brief.Section
	At int
}

// ReadBriefForm reads which parts a brief has, whether a title must be chosen among candidates, and the outline.
func ReadBriefForm(form url.Values) (brief.Form, bool, brief.Outline) {
	var f brief.Form
	for _, p := range brief.Parts {
		if how := form.Get("ask-" + p.Key); how != "" {
			f = append(f, brief.Asked{Key: p.Key, Must: how == "must", Help: form.Get("help-" + p.Key)})
		}
	}
	var o brief.Outline
	heads, levels, advice := form["heading"], form["level"], form["advice"]
	for i := range heads {
		s := brief.Section{Heading: heads[i]}
		if i < len(advice) {
			s.Advice = advice[i]
		}
		if i < len(levels) && levels[i] == "3" {
			s.Level = 3
		}
		o = append(o, s)
	}
	return f, form.Get("titled") != "", o
}

// BriefParts are the parts of a brief as an answer can go into them.
func BriefParts() []kit.Option {
	out := []kit.Option{{Value: "", Name: "what it is about"}}
	for _, p := range brief.Parts {
		out = append(out, kit.Option{Value: p.Key, Name: english.LowerFirst(p.Name)})
	}
	return out
}
