package api

import (
	"context"
	"encoding/json"
	"net/http"
	"reflect"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"pikegate/internal/load"
)

func (r routes) registerLoads(api huma.API) {
	o := huma.Operation{OperationID: "load-table", Method: http.MethodPost, Path: Prefix + "/loads/{table}",
		Summary: "Load a file of records, CSV or XLSX, into a table of the embedded records", Errors: []int{400, 422}}
	bytes := map[string]*huma.MediaType{"application/octet-stream": {Schema: &huma.Schema{Type: huma.TypeString, Format: "binary", Description: "The file."}}}
	o.RequestBody = &huma.RequestBody{Required: true, Content: bytes}
	o.Responses = map[string]*huma.Response{"200": {Description: "What the load did, or would do.",
		Content: map[string]*huma.MediaType{"application/json": {Schema: api.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[load.Report](), true, "LoadReport")}}}}
	huma.Register(api, o, r.load)
}

func (r routes) load(ctx context.Context, in *struct {
	Table  string   `path:"table"`
	Format string   `query:"format" enum:"csv,xlsx" default:"csv" doc:"How the file is written."`
	Mode   string   `query:"mode" enum:"new,replace,append,update" default:"new" doc:"What becomes of the records that the table has."`
	Key    []string `query:"key,explode" doc:"The columns that tell one record from every other; those that update goes by."`
	Sheet  string   `query:"sheet" doc:"The sheet of an XLSX file; its first where absent."`
	Dates  []string `query:"dates,explode" doc:"COLUMN=PATTERN: how the dates of some columns are written, where that is not to be guessed."`
	Dry    bool     `query:"dry" doc:"Guess, read everything, and leave the table as it is."`
	Refuse int      `query:"refuse" minimum:"0" doc:"How many rows may be refused; where there are more, nothing is loaded."`
}) (*huma.StreamResponse, error) {
	return &huma.StreamResponse{Body: func(c huma.Context) {
		_ = c.SetReadDeadline(time.Time{}) // a file may take its time
		report, err := r.service.Load(ctx, c.BodyReader(), load.Request{Table: in.Table, Mode: load.Mode(in.Mode), Key: in.Key, XLSX: in.Format == "xlsx", Sheet: in.Sheet, Dates: in.Dates, Dry: in.Dry, Refuse: in.Refuse})
		var answer any = report
		if err != nil {
			p := problemOf(ctx, err)
			c.SetHeader("Content-Type", p.ContentType(""))
			c.SetStatus(p.Status)
			answer = p
		} else {
			c.SetHeader("Content-Type", "application/json")
		}
		_ = json.NewEncoder(c.BodyWriter()).Encode(answer)
	}}, nil
}
