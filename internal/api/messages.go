package api

import (
	"context"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/internal/mail"
	"ambrosa/internal/store"
)

type mailing struct {
	Address  string `json:"address" doc:"Where messages go by mail; empty for nowhere"`
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
		func(ctx context.Context, _ *struct{}) (*Body[mailing], error) {
			address, err := s.Store.MailAddress(ctx)
			return &Body[mailing]{mailing{address, s.Runner.Mail != nil, s.Mailbox}}, problem(err, "address")
		})
	huma.Register(api, tags.set("set-mailing", "/mailing", "Say where messages go by mail"),
		func(ctx context.Context, in *struct {
			Body struct {
				Address string `json:"address" maxLength:"254" doc:"Empty for nowhere"`
			}
		}) (*struct{}, error) {
			address := strings.TrimSpace(in.Body.Address)
			if address != "" {
				if err := mail.Check(address); err != nil {
					return nil, huma.Error422UnprocessableEntity(err.Error() + ".")
				}
			}
			return nil, problem(s.Runner.SetMailing(ctx, s.actor(ctx), address), "address")
		})
}
