package api

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"

	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
)

type linkInput struct {
	Supplier string `json:"supplier" minLength:"1" maxLength:"100"`
	Asker    string `json:"asker" maxLength:"200" doc:"Who asks, as the supplier reads it"`
	Message  string `json:"message" maxLength:"4000" doc:"What the supplier reads"`
	Category string `json:"category" maxLength:"400" doc:"Path; empty for all"`
	Days     int    `json:"days" minimum:"1" maximum:"365" doc:"Until it ends"`
	MaxFiles int    `json:"maxFiles" minimum:"1" maximum:"100000"`
	MaxBytes int64  `json:"maxBytes" minimum:"1000000" maximum:"1000000000000"`
	Rights   string `json:"rights" enum:"cleared,restricted,unknown" doc:"Of what comes through it"`
	Licence  string `json:"licence" maxLength:"200"`
	Credit   string `json:"credit" maxLength:"200"`
	Request  int64  `json:"request,omitempty" minimum:"0" doc:"That it is for; left out, products without a picture are asked for"`
}

type linkMade struct {
	ID      int64  `json:"id"`
	Address string `json:"address" doc:"Path that the supplier opens; shown this once"`
}

type handIn struct {
	Supplier string                 `json:"supplier"`
	Asker    string                 `json:"asker"`
	Message  string                 `json:"message"`
	Expires  time.Time              `json:"expires"`
	State    string                 `json:"state" enum:"open,full,expired,revoked"`
	MaxFiles int                    `json:"maxFiles"`
	MaxBytes int64                  `json:"maxBytes"`
	Files    int                    `json:"files" doc:"Handed in"`
	Bytes    int64                  `json:"bytes" doc:"Handed in"`
	Missing  []store.MissingProduct `json:"missing" nullable:"false" doc:"Products without a picture, the first of them"`
	Wanted   int64                  `json:"wanted" doc:"How many there are"`
	Shots    []store.RequestShot    `json:"shots" nullable:"false" doc:"That a request waits for, in the stead of products"`
}

// ByToken names a supplier's link by what its address ends with.
type ByToken struct {
	Token string `path:"token" minLength:"20" maxLength:"40"`
}

func sumOf(token string) []byte {
	sum := sha256.Sum256([]byte(token))
	return sum[:]
}

// newAddress makes the path of a supplier's link, and what is kept of it.
func newAddress() (address string, sum []byte) {
	token := strings.ToLower(rand.Text())
	return "/hand-in/" + token, sumOf(token)
}

// listedMissing is how many products a supplier's page lists.
const listedMissing = 500

func (s *Server) linkOperations(api huma.API) {
	const tags = resource("Supplier links")
	const path = "/supplier-links"
	huma.Register(api, tags.get("list-supplier-links", path, "Addresses that suppliers hand files in at"),
		func(ctx context.Context, _ *struct{}) (*Body[Page[store.SupplierLink]], error) {
			items, err := s.Store.SupplierLinks(ctx)
			return pageOf(items, int64(len(items))), problem(err, "link")
		})
	huma.Register(api, tags.create("add-supplier-link", path, "Make an address that a supplier hands files in at; it is shown once"),
		func(ctx context.Context, in *struct{ Body linkInput }) (*Body[linkMade], error) {
			b := in.Body
			address, sum := newAddress()
			id, err := s.Sourcer.AddLink(
				ctx, s.actor(ctx),
				store.SupplierLink{Supplier: strings.TrimSpace(b.Supplier), Asker: b.Asker, Message: b.Message, Category: b.Category,
					Expires: time.Now().
						AddDate(0, 0, b.Days),
					MaxFiles: b.MaxFiles, MaxBytes: b.MaxBytes, Rights: b.Rights, Licence: b.Licence, Credit: b.Credit, Request: b.Request},
				sum,
			)
			if errors.Is(err, store.ErrNotFound) {
				err = huma.Error422UnprocessableEntity(fmt.Sprintf("There is no category “%s”. Choose one of the list, or leave the field empty "+
					"for the whole catalog.", b.Category))
			}
			return &Body[linkMade]{linkMade{id, address}}, problem(err, "link")
		})
	huma.Register(api, tags.post("renew-supplier-link", path+"/{id}/address", "Give a link another address and a later end; the address "+
		"before ends"),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				Days int `json:"days" minimum:"1" maximum:"365"`
			}
		}) (*Body[linkMade], error) {
			address, sum := newAddress()
			err := s.Sourcer.RenewLink(ctx, s.actor(ctx), in.ID, sum, time.Now().AddDate(0, 0, in.Body.Days))
			return &Body[linkMade]{linkMade{in.ID, address}}, problem(err, "link")
		})
	huma.Register(api, tags.remove("revoke-supplier-link", path+"/{id}", "End a link; what came through it stays"),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Sourcer.RevokeLink(ctx, s.actor(ctx), in.ID), "link")
		})
	huma.Register(api, tags.get("get-hand-in", "/hand-in/{token}", "What a supplier is asked for"),
		func(ctx context.Context, in *ByToken) (*Body[handIn], error) {
			k, err := s.Store.SupplierLinkBy(ctx, sumOf(in.Token))
			if err != nil {
				return nil, problem(err, "address")
			}
			seen := handIn{
				Supplier: k.Supplier,
				Asker:    k.Asker,
				Message:  k.Message,
				Expires:  k.Expires,
				State:    k.State,
				MaxFiles: k.MaxFiles,
				MaxBytes: k.MaxBytes,
				Files:    k.Files,
				Bytes:    k.Bytes,
				Missing:  []store.MissingProduct{},
				Shots:    []store.RequestShot{},
			}
			switch {
			case k.State != "open":
			case k.Request != 0:
				seen.Shots, seen.Wanted, err = s.Store.WaitingShots(ctx, k.Request, listedMissing)
			default:
				seen.Missing, seen.Wanted, err = s.Store.MissingProducts(ctx, k.Category, listedMissing)
			}
			return &Body[handIn]{seen}, problem(err, "address")
		})
	huma.Register(api, tags.create("open-hand-in", "/hand-in/{token}/lots", "Open a lot for what a supplier hands in"),
		func(ctx context.Context, in *struct {
			ByToken
			Body struct {
				Uploads int `json:"uploads" minimum:"1" maximum:"100000"`
			}
		}) (*Body[created], error) {
			k, err := s.Store.SupplierLinkBy(ctx, sumOf(in.Token))
			if err != nil {
				return nil, problem(err, "address")
			}
			id, err := s.Receiver.HandIn(ctx, k, in.Body.Uploads)
			return &Body[created]{created{id}}, problem(err, "address")
		})
}

// missingSheet writes a supplier's missing products as CSV, with an empty
// column for the files that show them; it comes back as a sheet of the lot.
func (s *Server) missingSheet(c fiber.Ctx) error {
	k, err := s.Store.SupplierLinkBy(c.Context(), sumOf(c.Params("token")))
	if errors.Is(err, store.ErrNotFound) || err == nil && k.State != "open" {
		return fiber.NewError(http.StatusNotFound, "This address does not lead anywhere any more.")
	}
	if err != nil {
		return err
	}
	if k.Request != 0 {
		return s.waitingSheet(c, k.Request)
	}
	missing, _, err := s.Store.MissingProducts(c.Context(), k.Category, 100_000)
	if err != nil {
		return err
	}
	c.Set("Content-Type", "text/csv; charset=utf-8")
	c.Set("Content-Disposition", `attachment; filename="missing-pictures.csv"`)
	column := func(title string, of func(store.MissingProduct) any) sheetfile.Column[store.MissingProduct] {
		return sheetfile.Column[store.MissingProduct]{Title: title, Of: of}
	}
	columns := []sheetfile.Column[store.MissingProduct]{
		column(
			"sku",
			func(m store.MissingProduct) any { return m.SKU },
		), column("title", func(m store.MissingProduct) any { return m.Title }),
		column("gtin", func(m store.MissingProduct) any { return m.GTIN }), column("file", func(store.MissingProduct) any { return "" }),
	}
	var text strings.Builder
	at := -1
	err = sheetfile.WriteCSV(&text, columns, func() (m store.MissingProduct, more bool, err error) {
		if at++; at >= len(missing) {
			return m, false, nil
		}
		return missing[at], true, nil
	})
	if err != nil {
		return err
	}
	return c.SendString(text.String())
}

// waitingSheet writes what a request still waits for as CSV, with the name that each file should
// have.
func (s *Server) waitingSheet(c fiber.Ctx, request int64) error {
	shots, _, err := s.Store.WaitingShots(c.Context(), request, 100_000)
	if err != nil {
		return err
	}
	c.Set("Content-Type", "text/csv; charset=utf-8")
	c.Set("Content-Disposition", `attachment; filename="wanted-pictures.csv"`)
	var text strings.Builder
	err = sheetfile.WriteCSV(&text, requestColumns[:len(requestColumns)-1], func() (r store.RequestShot, more bool, err error) {
		if len(shots) == 0 {
			return r, false, nil
		}
		r, shots = shots[0], shots[1:]
		return r, true, nil
	})
	if err != nil {
		return err
	}
	return c.SendString(text.String())
}
