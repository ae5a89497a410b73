package api

import (
	"context"
	"encoding/json"
	"net/http"
	"reflect"
	"strconv"

	"github.com/danielgtaylor/huma/v2"

	"pikegate/internal/load"
)

func (r routes) registerLoads(api huma.API) {
	o := huma.Operation{OperationID: "load-table", Method: http.MethodPost, Path: Prefix + "/loads/{table}",
		Summary: "Load a file of records into a table of the embedded records", Errors: []int{400, 408, 413, 422, 503, 507}}
	bytes := map[string]*huma.MediaType{"application/octet-stream": {Schema: &huma.Schema{Type: huma.TypeString, Format: "binary", Description: "The file."}}}
	o.RequestBody = &huma.RequestBody{Required: true, Content: bytes}
	o.Responses = map[string]*huma.Response{"200": {Description: "What the load did, or would do.",
		Content: map[string]*huma.MediaType{"application/json": {Schema: api.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[load.Report](), true, "LoadReport")}}}}
	huma.Register(api, o, r.load)
	const table = Prefix + "/loads/{table}"
	huma.Register(api, huma.Operation{OperationID: "rename-table", Method: http.MethodPost, Path: table + "/rename", Summary: "Give a loaded table another name", Errors: []int{400, 404, 409, 422}}, r.renameTable)
	huma.Register(api, huma.Operation{OperationID: "remove-table", Method: http.MethodDelete, Path: table, Summary: "Take a loaded table away, with its records", Errors: []int{404, 409}, DefaultStatus: http.StatusOK}, r.removeTable)
}

func (r routes) renameTable(ctx context.Context, in *struct {
	Table string `path:"table"`
	Body  struct {
		To string `json:"to" doc:"Its other name."`
	}
}) (*status, error) {
	if err := r.service.Author.RenameTable(ctx, in.Table, in.Body.To); err != nil {
		return nil, problemOf(ctx, err)
	}
	return ok(), nil
}

func (r routes) removeTable(ctx context.Context, in *struct {
	Table string `path:"table"`
}) (*status, error) {
	if err := r.service.Author.RemoveTable(ctx, in.Table); err != nil {
		return nil, problemOf(ctx, err)
	}
	return ok(), nil
}

func (r routes) load(ctx context.Context, in *struct {
	Table     string     `path:"table"`
	Format    loadFormat `query:"format" default:"csv" doc:"How the file is written."`
	Mode      loadMode   `query:"mode" default:"new" doc:"What becomes of the records that the table has."`
	Key       []string   `query:"key,explode" doc:"The columns that tell one record from every other; those that update goes by."`
	Sheet     string     `query:"sheet" doc:"The sheet of an XLSX file; its first where absent."`
	Dates     []string   `query:"dates,explode" doc:"COLUMN=PATTERN, or COLUMN= and yyyymmdd, serial-days, epoch-seconds or epoch-milliseconds: how the dates of some columns are written, where that is not to be guessed."`
	Numbers   []string   `query:"numbers,explode" doc:"COLUMN=FORM: how the numbers of some columns are written, told by how the file would write 1234.56."`
	Exact     []string   `query:"exact,explode" doc:"Columns of decimals that are held as texts, with any number of digits."`
	RowNumber string     `query:"row_number" doc:"A column to add that counts the rows; none where absent."`
	Totals    loadTotals `query:"totals" doc:"What becomes of a last row that looks like totals; where it is absent, one stops the load."`
	Dry       bool       `query:"dry" doc:"Guess, read everything, and leave the table as it is."`
	Refuse    int        `query:"refuse" minimum:"0" maximum:"10000" doc:"How many rows may be refused; where there are more, nothing is loaded."`
}) (*huma.StreamResponse, error) {
	return &huma.StreamResponse{Body: func(c huma.Context) {
		declared, from := int64(-1), c.BodyReader()
		if n, err := strconv.ParseInt(c.Header("Content-Length"), 10, 64); err == nil {
			declared = n
		}
		if b, ok := from.(*timedBody); ok {
			limits := r.limits.Load()
			b.rolling(limits.Stall, limits.Send)
		}
		report, err := r.service.Author.Load(ctx, from, declared, load.Request{Table: in.Table, Mode: load.Mode(in.Mode), Key: in.Key, Format: load.Format(in.Format), Sheet: in.Sheet, Dates: in.Dates,
			Numbers: in.Numbers, Exact: in.Exact, RowNumber: in.RowNumber, Totals: load.Totals(in.Totals), Dry: in.Dry, Refuse: in.Refuse})
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
