package web

import (
	"net/http"
	"net/url"
	"strconv"

	"github.com/labstack/echo/v5"

	"greenbaton/core/relay"
	"greenbaton/newsroom"
	"greenbaton/newsroom/planning"
	"greenbaton/store"
)

// topicsView is the page of a desk's topics and campaigns, with the forms of those
// that are being changed.
type topicsView struct {
	Topics    []store.Topic
	Campaigns []campaignRow
	Topic     url.Values // the form of a topic
	Campaign  url.Values // and of a campaign
	Problem   string
	Field     string
}

type campaignRow struct {
	store.Campaign
	Says string
}

// topicsPage shows the topics and campaigns of the desk, for its leads.
func (s *Server) topicsPage(c *echo.Context) error { return s.showTopics(c, http.StatusOK, nil, nil) }

func (s *Server) showTopics(c *echo.Context, status int, refusal *relay.Refusal, typed url.Values) error {
	b, err := s.Newsroom.Setup(c.Request().Context())
	if err != nil {
		return err
	}
	q := c.QueryParams()
	v := topicsView{Topic: url.Values{}, Campaign: url.Values{}}
	for _, t := range b.Topics {
		if t.DeskID != here(c) {
			continue
		}
		v.Topics = append(v.Topics, t)
		if t.ID == int64At(q, "topic") {
			v.Topic = url.Values{"id": {str(t.ID)}, "topic": {t.Name}, "topic_target": {str(t.Target)}, "retired": {yes(t.Retired)}}
		}
	}
	done, err := s.Newsroom.Planning.Progress(c.Request().Context(), here(c))
	if err != nil {
		return err
	}
	for _, x := range b.Campaigns {
		if x.DeskID != here(c) {
			continue
		}
		v.Campaigns = append(v.Campaigns, campaignRow{x, planning.SayCampaign(x, done[x.ID])})
		if x.ID == int64At(q, "campaign") {
			v.Campaign = url.Values{"id": {str(x.ID)}, "campaign": {x.Name}, "goal": {x.Goal}, "from": {x.FromDay.String()}, "to": {x.ToDay.String()},
				"campaign_target": {str(x.Target)}, "retired": {yes(x.Retired)}}
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
	return s.show(c, status, "topics", "Topics and campaigns", v)
}

func yes(b bool) string {
	if b {
		return "yes"
	}
	return ""
}

// saveTopic stores a topic, or makes one.
func (s *Server) saveTopic(c *echo.Context) error {
	return setUp(s, c, s.anything, func(_ *newsroom.Setup, d int64, form url.Values) (string, error) {
		t := store.Topic{ID: int64At(form, "id"), DeskID: d, Name: form.Get("topic"), Retired: form.Get("retired") != ""}
		var err error
		if t.Target, err = whole(form, "topic_target", "topic_target", "the pieces aimed at", 0); err != nil {
			return "", err
		}
		if err := s.Newsroom.Settings.SaveTopic(c.Request().Context(), me(c).ID, t); err != nil {
			return "", err
		}
		s.say(c, "The topic is saved.")
		return "/topics", nil
	}, func(status int, r *relay.Refusal, typed url.Values) error { return s.showTopics(c, status, r, typed) })
}

// saveCampaign stores a campaign, or makes one.
func (s *Server) saveCampaign(c *echo.Context) error {
	return setUp(s, c, s.anything, func(_ *newsroom.Setup, d int64, form url.Values) (string, error) {
		x := store.Campaign{ID: int64At(form, "id"), DeskID: d, Name: form.Get("campaign"), Goal: form.Get("goal"), Retired: form.Get("retired") != ""}
		var err error
		if x.FromDay, err = dateOf(form, "from", "the first day"); err != nil {
			return "", err
		}
		if x.ToDay, err = dateOf(form, "to", "the last day"); err != nil {
			return "", err
		}
		if x.Target, err = whole(form, "campaign_target", "campaign_target", "the pieces aimed at", 0); err != nil {
			return "", err
		}
		if err := s.Newsroom.Settings.SaveCampaign(c.Request().Context(), me(c).ID, x); err != nil {
			return "", err
		}
		s.say(c, "The campaign is saved.")
		return "/topics", nil
	}, func(status int, r *relay.Refusal, typed url.Values) error { return s.showTopics(c, status, r, typed) })
}

// anything is for forms whose address names nothing but the desk that is looked at.
func (s *Server) anything(c *echo.Context, _ *newsroom.Setup) (int64, error) { return here(c), nil }

// str writes a whole number as a form sends it.
func str[T ~int | ~int64](n T) string { return strconv.FormatInt(int64(n), 10) }
