// Package scope is what a program may do in the name of somebody: for each area of the newsroom
// nothing, reading, or writing as well. It never is more than whoever it acts for may do.
package scope

import (
	"fmt"
	"slices"
	"strings"
)

// Area is a part of the newsroom.
type Area string

// The areas.
const (
	Pieces  Area = "pieces"  // pieces and their legs, lineup, load, views
	Ideas   Area = "ideas"   // ideas and requests
	Copy    Area = "copy"    // copies, queries, verdicts, files
	People  Area = "people"  // who is who, days off
	Figures Area = "figures" // what pieces brought
	Fees    Area = "fees"    // what work costs
	Logbook Area = "logbook" // what was done, and events as they happen
)

// Areas are all areas, in the order in which they are offered.
var Areas = []Area{Pieces, Ideas, Copy, People, Figures, Fees, Logbook}

// ReadOnly are the areas in which programs change nothing.
var ReadOnly = []Area{People, Fees, Logbook}

// Says says what is in an area.
func (a Area) Says() string {
	return map[Area]string{
		Pieces: "Pieces, legs, lineup, load and views", Ideas: "Ideas and requests", Copy: "Copies, queries, verdicts and files", People: "People and the set-up of desks",
		Figures: "Figures", Fees: "Fees", Logbook: "Logbook and events",
	}[a]
}

// Right is what may be done in an area.
type Right string

// The rights, each with those before it.
const (
	None  Right = ""
	Read  Right = "read"
	Write Right = "write"
)

// Scope is the rights of a program by area; an area that is not in it is closed.
type Scope map[Area]Right

// Allows reports whether a program may do so much in an area.
func (s Scope) Allows(a Area, r Right) bool {
	return r == None || s[a] == r || r == Read && s[a] == Write
}

// String writes a scope as Parse reads it: "copy:read pieces:write".
func (s Scope) String() string {
	var out []string
	for _, a := range Areas {
		if s[a] != None {
			out = append(out, string(a)+":"+string(s[a]))
		}
	}
	slices.Sort(out)
	return strings.Join(out, " ")
}

// Says says a scope in words.
func (s Scope) Says() string {
	var out []string
	for _, a := range Areas {
		if s[a] != None {
			out = append(out, string(s[a])+"s "+string(a))
		}
	}
	if len(out) == 0 {
		return "opens nothing"
	}
	return strings.Join(out, ", ")
}

// Parse reads a scope; what is no area or no right is an error that says so.
func Parse(text string) (Scope, error) {
	s := Scope{}
	for f := range strings.FieldsSeq(text) {
		area, right, _ := strings.Cut(f, ":")
		switch {
		case !slices.Contains(Areas, Area(area)):
			return nil, fmt.Errorf("%q is no area; the areas are %v", area, Areas)
		case Right(right) != Read && Right(right) != Write:
			return nil, fmt.Errorf("%q is no right; ask for %s:read or %s:write", f, area, area)
		case Right(right) == Write && slices.Contains(ReadOnly, Area(area)):
			return nil, fmt.Errorf("programs change nothing in %s; ask for %s:read", area, area)
		}
		s[Area(area)] = Right(right)
	}
	return s, nil
}
