package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
)

// tarType is the media type of a backup.
const tarType = "application/x-tar"

func (r routes) registerBackup(api huma.API) {
	o := huma.Operation{OperationID: "backup", Method: http.MethodGet, Path: Prefix + "/backup", Summary: "A backup: the own records and the embedded business records, each as it is at one moment", Errors: []int{500, 507}}
	o.Responses = map[string]*huma.Response{"200": {Description: "A tar file, which begins with backup.json. One that ends early was cut off.", Content: map[string]*huma.MediaType{tarType: {Schema: &huma.Schema{Type: huma.TypeString, Format: "binary"}}}}}
	huma.Register(api, o, func(ctx context.Context, _ *struct{}) (*huma.StreamResponse, error) {
		backup, err := r.service.Base.Backup(ctx, Version)
		if err != nil {
			return nil, problemOf(ctx, err)
		}
		return &huma.StreamResponse{Body: func(out huma.Context) {
			defer backup.Close()
			out.SetHeader("Content-Type", tarType)
			out.SetHeader("Content-Disposition", `attachment; filename="pikegate-backup.tar"`)
			if err := backup.Send(out.BodyWriter()); err != nil {
				logOf(ctx).WarnContext(ctx, "a backup was broken off", "error", err)
				panic(http.ErrAbortHandler) // so that nobody takes it for a whole one
			}
		}}, nil
	})
}
