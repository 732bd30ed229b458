package api

import (
	"context"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/gtin"
	"ambrosa/internal/store"
)

type scanned struct {
	Barcode string        `json:"barcode" doc:"With 14 digits"`
	Found   []store.Found `json:"found" nullable:"false" doc:"Variants that have it"`
}

func (s *Server) scanOperations(api huma.API) {
	const tags = resource("Products")
	huma.Register(api, tags.get("scan", "/scan", "The variants that have a barcode, as a hand scanner types it"),
		func(ctx context.Context, in *struct {
			Code string `query:"code" minLength:"1" maxLength:"60"`
		}) (*Body[scanned], error) {
			code := strings.TrimSpace(in.Code)
			barcode, err := gtin.Normalise(code)
			if err != nil {
				return nil, huma.Error422UnprocessableEntity(code + " is not a GTIN: " + err.Error() + ".")
			}
			found, err := s.Store.ByBarcode(ctx, barcode)
			return &Body[scanned]{scanned{barcode, append([]store.Found{}, found...)}}, problem(err, "barcode")
		})
}
