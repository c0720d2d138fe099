package setup

import (
	"net/http"
	"net/url"

	"github.com/labstack/echo/v5"

	"greenbaton/core/ref"
	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
	"greenbaton/web/kit"
)

// topicsView is the page of a desk's topics and campaigns, with the forms of those
// that are being changed.
type topicsView struct {
	Topics    []store.Topic
	Campaigns []campaignRow
	Topic     url.Values // the form of a topic
	Campaign  url.Values // and of a campaign
	Owners    []store.Person
	Problem   string
	Field     string
}

type campaignRow struct {
	store.Campaign
	Says string
}

// topicsPage shows the topics and campaigns of the desk, for its leads.
func (s *Section) topicsPage(c *echo.Context) error { return s.showTopics(c, http.StatusOK, nil, nil) }

func (s *Section) showTopics(c *echo.Context, status int, refusal *relay.Refusal, typed url.Values) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	q := c.QueryParams()
	v := topicsView{Topic: url.Values{}, Campaign: url.Values{}, Owners: b.Owners(kit.Here(c))}
	for _, t := range b.Topics {
		if t.DeskID != kit.Here(c) {
			continue
		}
		v.Topics = append(v.Topics, t)
		if t.ID == kit.Int[ref.Topic](q, "topic") {
			v.Topic = url.Values{"id": {kit.Str(t.ID)}, "topic": {t.Name}, "topic_target": {kit.Str(t.Target)}, "retired": {kit.Yes(t.Retired)}}
		}
	}
	done, err := s.Planning.Progress(c.Request().Context(), kit.Here(c))
	if err != nil {
		return err
	}
	for _, x := range b.Campaigns {
		if x.DeskID != kit.Here(c) {
			continue
		}
		v.Campaigns = append(v.Campaigns, campaignRow{x, planning.SayCampaign(x, done[x.ID])})
		if x.ID == kit.Int[ref.Campaign](q, "campaign") {
			v.Campaign = url.Values{"id": {kit.Str(x.ID)}, "campaign": {x.Name}, "goal": {x.Goal}, "from": {x.FromDay.String()}, "to": {x.ToDay.String()},
				"campaign_target": {kit.Str(x.Target)}, "campaign_owner": {kit.Str(x.Owner)}, "retired": {kit.Yes(x.Retired)}}
		}
	}
	if refusal != nil {
		v.Problem, v.Field = refusal.Text, refusal.Field
		if typed.Has("topic") {
			v.Topic = typed
		} else {
			v.Campaign = typed
		}
	}
	return s.Show(c, status, "topics", "Topics and campaigns", v)
}

// saveTopic stores a topic, or makes one.
func (s *Section) saveTopic(c *echo.Context) error {
	return kit.SetUp(s.Server, c, s.anything, func(_ *newsroom.Setup, d ref.Desk, form url.Values) (string, error) {
		t := store.Topic{ID: kit.Int[ref.Topic](form, "id"), DeskID: d, Name: form.Get("topic"), Retired: form.Get("retired") != ""}
		var err error
		if t.Target, err = kit.Whole(form, "topic_target", "topic_target", "the pieces aimed at", 0); err != nil {
			return "", err
		}
		if err := s.Settings.SaveTopic(c.Request().Context(), kit.Me(c).ID, t); err != nil {
			return "", err
		}
		s.Say(c, "The topic is saved.")
		return "/topics", nil
	}, func(status int, r *relay.Refusal, typed url.Values) error { return s.showTopics(c, status, r, typed) })
}

// saveCampaign stores a campaign, or makes one.
func (s *Section) saveCampaign(c *echo.Context) error {
	return kit.SetUp(s.Server, c, s.anything, func(_ *newsroom.Setup, d ref.Desk, form url.Values) (string, error) {
		x := store.Campaign{ID: kit.Int[ref.Campaign](form, "id"), DeskID: d, Name: form.Get("campaign"), Goal: form.Get("goal"), Owner: kit.Int[ref.Person](form, "campaign_owner"), Retired: form.Get("retired") != ""}
		var err error
		if x.FromDay, err = kit.DateOf(form, "from", "the first day"); err != nil {
			return "", err
		}
		if x.ToDay, err = kit.DateOf(form, "to", "the last day"); err != nil {
			return "", err
		}
		if x.Target, err = kit.Whole(form, "campaign_target", "campaign_target", "the pieces aimed at", 0); err != nil {
			return "", err
		}
		if err := s.Settings.SaveCampaign(c.Request().Context(), kit.Me(c).ID, x); err != nil {
			return "", err
		}
		s.Say(c, "The campaign is saved.")
		return "/campaigns", nil
	}, func(status int, r *relay.Refusal, typed url.Values) error { return s.showTopics(c, status, r, typed) })
}

// anything is for forms whose address names nothing but the desk that is looked at.
func (s *Section) anything(c *echo.Context, _ *newsroom.Setup) (ref.Desk, error) {
	return kit.Here(c), nil
}
