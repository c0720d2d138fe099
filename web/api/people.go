package api

import (
	"context"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"greenbaton/core/relay"
	"greenbaton/core/scope"
	"greenbaton/newsroom"
	"greenbaton/newsroom/programs"
	"greenbaton/newsroom/review"
	"greenbaton/store"
)

// Person is somebody on a desk.
type Person struct {
	ID     int64    `json:"id"`
	Name   string   `json:"name"`
	Mail   string   `json:"mail,omitempty" doc:"For leads, and one's own."`
	Access string   `json:"access" enum:"lead,staff,freelance,outside"`
	Does   string   `json:"does,omitempty" doc:"What they do, in words."`
	Roles  []string `json:"roles" doc:"Which legs they run."`
	Desks  []int64  `json:"desks" doc:"Those that are yours as well."`
}

// Me is whose token it is, and what it opens.
type Me struct {
	Person
	Token string `json:"token" doc:"Its name."`
	Scope string `json:"scope" doc:"What it opens, like copy:read pieces:write."`
}

// Named is something with a number and a name.
type Named struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
}

// Format is a kind of piece.
type Format struct {
	Named
	Channel int64       `json:"channel,omitempty"`
	Legs    []FormatLeg `json:"legs" doc:"Its way as it is now."`
	Fields  []Named     `json:"fields" doc:"Its extra fields."`
}

// Partner is whoever pieces are made with.
type Partner struct {
	Named
	People []Named `json:"people" doc:"Who says yes for it."`
}

// FormatLeg is a leg of a format.
type FormatLeg struct {
	Key       string `json:"key"`
	Name      string `json:"name"`
	Role      string `json:"role"`
	Allowance int    `json:"allowance" doc:"Working days."`
}

// Desk is a publication with what is set up on it.
type Desk struct {
	Named
	Zone      string   `json:"zone" doc:"IANA's name of its time zone."`
	Formats   []Format `json:"formats"`
	Channels  []Named  `json:"channels"`
	Topics    []Named  `json:"topics"`
	Campaigns []Named  `json:"campaigns"`
	Measures  []Named  `json:"measures"`
}

func personOf(b *newsroom.Setup, who, p store.Person) Person {
	x := Person{ID: int64(p.ID), Name: p.Name, Access: string(p.Access), Does: p.Does, Roles: append([]string{}, p.Roles...), Desks: []int64{}}
	for _, d := range p.Desks {
		if slices.Contains(who.Desks, d) {
			x.Desks = append(x.Desks, int64(d))
		}
	}
	if who.Access.May(relay.SetUpDesk) || p.ID == who.ID {
		x.Mail = p.Mail
	}
	return x
}

func namedAs[T any](all []T, of func(T) Named) []Named {
	out := []Named{}
	for _, x := range all {
		out = append(out, of(x))
	}
	return out
}

func (s *Section) people(a huma.API) {
	type meOut struct{ Body Me }
	add(s, a, ask{method: http.MethodGet, path: "/me", id: "getMe", says: "Whose token it is, and what it opens", tag: "People"},
		func(ctx context.Context, k programs.Key, _ *struct{}) (*meOut, error) {
			b, err := s.Newsroom.Setup(ctx)
			if err != nil {
				return nil, err
			}
			return &meOut{Me{Person: personOf(b, k.Person, k.Person), Token: k.Token.Name, Scope: k.Scope.String()}}, nil
		})
	type peopleIn struct {
		Desk int64 `query:"desk" doc:"One of yours; without it the first."`
	}
	type peopleOut struct {
		Body struct {
			People []Person `json:"people"`
		}
	}
	add(s, a, ask{method: http.MethodGet, path: "/people", id: "listPeople", says: "The people of a desk", area: scope.People, right: scope.Read, tag: "People"},
		func(ctx context.Context, k programs.Key, in *peopleIn) (*peopleOut, error) {
			b, d, err := s.onDesk(ctx, k, in.Desk)
			if err != nil {
				return nil, err
			}
			out := &peopleOut{}
			out.Body.People = []Person{}
			for _, p := range b.OnDesk(d) {
				if k.Person.Access.May(relay.SeeAll) || p.ID == k.Person.ID {
					out.Body.People = append(out.Body.People, personOf(b, k.Person, p))
				}
			}
			return out, nil
		})
	type partnersOut struct {
		Body struct {
			Partners []Partner `json:"partners"`
		}
	}
	add(s, a, ask{method: http.MethodGet, path: "/partners", id: "listPartners", says: "The partners of a desk, for its own people", area: scope.People, right: scope.Read, tag: "People"},
		func(ctx context.Context, k programs.Key, in *peopleIn) (*partnersOut, error) {
			b, d, err := s.onDesk(ctx, k, in.Desk)
			if err != nil {
				return nil, err
			}
			if !k.Person.Access.May(relay.SeeAll) {
				return nil, &relay.Refusal{Reason: relay.ErrNotYours, Text: "Partners are for the desk's own people."}
			}
			out := &partnersOut{}
			out.Body.Partners = []Partner{}
			for _, p := range review.PartnersOf(b, d) {
				x := Partner{Named: Named{int64(p.ID), p.Name}}
				x.People = namedAs(review.PeopleOf(b, p.ID), func(q store.Person) Named { return Named{int64(q.ID), q.Name} })
				out.Body.Partners = append(out.Body.Partners, x)
			}
			return out, nil
		})
	s.desks(a)
}

func (s *Section) desks(a huma.API) {
	type desksOut struct {
		Body struct {
			Desks []Desk `json:"desks"`
		}
	}
	add(s, a, ask{method: http.MethodGet, path: "/desks", id: "listDesks", says: "One's desks, with formats, channels, topics, campaigns and measures", area: scope.People, right: scope.Read, tag: "People"},
		func(ctx context.Context, k programs.Key, _ *struct{}) (*desksOut, error) {
			b, err := s.Newsroom.Setup(ctx)
			if err != nil {
				return nil, err
			}
			o := &desksOut{}
			o.Body.Desks = []Desk{}
			for _, d := range b.DesksOf(k.Person.ID) {
				o.Body.Desks = append(o.Body.Desks, deskSetUp(b, d, k.Person))
			}
			return o, nil
		})
}

// deskSetUp gives what is set up on a desk; campaigns, topics and measures are for its own people.
func deskSetUp(b *newsroom.Setup, d store.Desk, who store.Person) Desk {
	x := Desk{Named: Named{int64(d.ID), d.Name}, Zone: d.Zone, Formats: []Format{}, Topics: []Named{}, Campaigns: []Named{}, Measures: []Named{}}
	x.Channels = namedAs(b.ChannelsOf(d.ID), func(c store.Channel) Named { return Named{int64(c.ID), c.Name} })
	for _, f := range b.FormatsOf(d.ID) {
		y := Format{Named: Named{int64(f.ID), f.Name}, Channel: int64(f.ChannelID), Legs: []FormatLeg{}, Fields: []Named{}}
		for _, l := range b.Latest(f.ID).Way.Legs {
			y.Legs = append(y.Legs, FormatLeg{l.Key, l.Name, l.Role, l.Allowance})
		}
		if who.Access.May(relay.SeeAll) {
			y.Fields = namedAs(b.FieldsOf(f.ID), func(x store.Field) Named { return Named{int64(x.ID), x.Name} })
		}
		x.Formats = append(x.Formats, y)
	}
	if !who.Access.May(relay.SeeAll) {
		return x
	}
	x.Topics = namedAs(b.TopicsOf(d.ID), func(t store.Topic) Named { return Named{int64(t.ID), t.Name} })
	x.Campaigns = namedAs(b.CampaignsOf(d.ID), func(c store.Campaign) Named { return Named{int64(c.ID), c.Name} })
	x.Measures = namedAs(b.MeasuresOf(d.ID), func(m store.Measure) Named { return Named{int64(m.ID), m.Name} })
	return x
}
