package api

import (
	"context"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/identity"
	"ambrosa/internal/mail"
	"ambrosa/internal/store"
)

type mailingView struct {
	store.Mailing
	Possible bool   `json:"possible" doc:"A mail server is set"`
	Mailbox  string `json:"mailbox" doc:"Page that shows the mails, where there is one"`
}

func (s *Server) messageOperations(api huma.API) {
	const tags = resource("Messages")
	huma.Register(api, tags.get("list-messages", "/messages", "What was said at the ends of runs, the newest first"),
		func(ctx context.Context, in *struct {
			Limit int `query:"limit" minimum:"1" maximum:"500" default:"50"`
		}) (*Body[Page[store.Message]], error) {
			items, err := s.Store.Messages(ctx, in.Limit)
			return pageOf(items, int64(len(items))), problem(err, "message")
		})
	huma.Register(api, tags.do("read-messages", "/messages/{id}/read", "Mark messages as read, up to one"),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Runner.ReadMessages(ctx, s.actor(ctx), in.ID), "message")
		})
	huma.Register(api, tags.get("get-mailing", "/mailing", "Where messages go by mail"),
		func(ctx context.Context, _ *struct{}) (*Body[mailingView], error) {
			to, err := s.Store.Mailing(ctx)
			return &Body[mailingView]{mailingView{to, s.Runner.Mail != nil, s.Mailbox}}, problem(err, "address")
		})
	huma.Register(api, tags.set("set-mailing", "/mailing", "Say where messages go by mail"),
		func(ctx context.Context, in *struct{ Body store.Mailing }) (*struct{}, error) {
			to := in.Body
			to.Address = strings.TrimSpace(to.Address)
			if to.Address != "" {
				if err := mail.Check(to.Address); err != nil {
					return nil, huma.Error422UnprocessableEntity(err.Error() + ".")
				}
			}
			err := s.Runner.SetMailing(ctx, s.actor(ctx), to)
			return nil, s.overtaken(ctx, err, "mail address", store.RecordFilter{Action: identity.MailingSet})
		})
}
