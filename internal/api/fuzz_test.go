package api_test

import (
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"pikegate/demo/demotest"
	"pikegate/internal/api"
)

// fuzzer makes requests by chance, of all operations that a document describes.
type fuzzer struct {
	*rand.Rand
	document map[string]any
	words    []string // that mean something to the service
}

// hostile are values that break what is not careful.
var hostile = []any{"", " ", "\x00", "a\x00b", "'", "\"", "`", ";", "--", "../../etc/passwd", "%00", "\xff\xfe", "\u202e", strings.Repeat("x", 5000), strings.Repeat("9", 400), "2026-02-30", "1e999", "null", "[]", "{}", "=1+1",
	"{{7*7}}", "${x}", "<script>", "' OR 1=1 --", "\r\nX: y", "last 99999999999 days", "1 Jan 0000 to 31 Dec 9999", -1, 0, 1, 9223372036854775807, -9223372036854775808, 1e308, 0.1, true, false, nil, []any{}, map[string]any{},
	[]any{nil, []any{}}, map[string]any{"start": "\x00", "end": nil}}

func (f *fuzzer) pick(all []any) any { return all[f.IntN(len(all))] }

// value is one of the shape of a schema, mostly.
func (f *fuzzer) value(schema map[string]any, depth int) any {
	if ref, ok := schema["$ref"].(string); ok {
		schema = f.document["components"].(map[string]any)["schemas"].(map[string]any)[ref[strings.LastIndexByte(ref, '/')+1:]].(map[string]any)
	}
	if f.IntN(12) == 0 || depth > 6 {
		return f.pick(hostile)
	}
	if one, ok := schema["oneOf"].([]any); ok {
		return f.value(one[f.IntN(len(one))].(map[string]any), depth+1)
	}
	if words, ok := schema["enum"].([]any); ok {
		return f.pick(words)
	}
	kind := schema["type"]
	if several, ok := kind.([]any); ok {
		kind = several[0]
	}
	switch kind {
	case "object":
		made := map[string]any{}
		properties, _ := schema["properties"].(map[string]any)
		for _, name := range sorted(properties) {
			if f.IntN(3) > 0 {
				made[name] = f.value(properties[name].(map[string]any), depth+1)
			}
		}
		if more, ok := schema["additionalProperties"].(map[string]any); ok {
			for range f.IntN(4) {
				made[f.word()] = f.value(more, depth+1)
			}
		}
		return made
	case "array":
		made := []any{}
		items, _ := schema["items"].(map[string]any)
		for range f.IntN(4) {
			made = append(made, f.value(items, depth+1))
		}
		return made
	case "integer", "number":
		return []any{0, 1, 2, 50, 1000, -1, 9223372036854775807, 1e18}[f.IntN(8)]
	case "boolean":
		return f.IntN(2) == 0
	}
	return f.word()
}

func (f *fuzzer) word() string {
	if f.IntN(8) == 0 {
		return fmt.Sprint(f.pick(hostile))
	}
	return f.words[f.IntN(len(f.words))]
}

func sorted(m map[string]any) []string {
	var names []string
	for name := range m {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

// request is one of an operation.
func (f *fuzzer) request(path, method string, operation map[string]any) *http.Request {
	query := url.Values{}
	parameters, _ := operation["parameters"].([]any)
	for _, p := range parameters {
		p := p.(map[string]any)
		name := p["name"].(string)
		switch value := fmt.Sprint(f.value(p["schema"].(map[string]any), 3)); p["in"] {
		case "path":
			path = strings.ReplaceAll(path, "{"+name+"}", url.PathEscape(value))
		case "query":
			if f.IntN(2) == 0 {
				query.Set(name, value)
			}
		}
	}
	var body io.Reader
	media := ""
	if b, ok := operation["requestBody"].(map[string]any); ok {
		for name, content := range b["content"].(map[string]any) {
			media = name
			switch schema := content.(map[string]any)["schema"].(map[string]any); {
			case name == "application/octet-stream":
				body = strings.NewReader(strings.Repeat(fmt.Sprint(f.word(), ",", f.word(), "\n"), f.IntN(5)))
			default:
				text, _ := json.Marshal(f.value(schema, 0))
				if f.IntN(20) == 0 {
					text = text[:f.IntN(len(text)+1)]
				}
				body = strings.NewReader(string(text))
			}
		}
	}
	if f.IntN(30) == 0 {
		media = "text/plain"
	}
	r := httptest.NewRequest(strings.ToUpper(method), "/", body)
	r.URL = &url.URL{Path: "/", RawQuery: query.Encode()}
	if at, err := url.Parse(path); err == nil {
		r.URL.Path, r.URL.RawPath = at.Path, at.RawPath
	}
	r.Host = "localhost"
	if media != "" {
		r.Header.Set("Content-Type", media)
	}
	return r
}

// Whatever is asked of any operation: it is done, or refused by a problem that says why.
// Nothing is a failure of the service. Each operation is asked twice, or for as long as PIKEGATE_FUZZ says.
func TestRequestsByChance(t *testing.T) {
	var span time.Duration
	if text := os.Getenv("PIKEGATE_FUZZ"); text != "" {
		var err error
		span, err = time.ParseDuration(text)
		require.NoError(t, err)
	}
	var logged strings.Builder
	errors := &slog.HandlerOptions{Level: slog.LevelError}
	ferries := demotest.Start(t, demotest.LogTo(slog.NewTextHandler(&logged, errors)))
	handler := api.New(ferries.Service, api.Limits{})
	document := newCaller(t, ferries.URL).document
	seed := uint64(time.Now().UnixNano())
	f := &fuzzer{Rand: rand.New(rand.NewPCG(seed, 0)), document: document, words: []string{"late-sailings", "waybills-by-day", "travel-period", "manifest-period", "goods", "minutes", "report", "query", "dataset", "prompt", "source", "proof",
		"sailings", "harbour", "bookings", "last month", "2026-03-05", "1 Mar 2026 to 5 Mar 2026", "timber", "x", "1", "id", "csv", "t", "pikegate: 1\nprompt: day\nask: Which?\ntype: day\n"}}
	type operation struct {
		path, method string
		said         map[string]any
	}
	var operations []operation
	paths := document["paths"].(map[string]any)
	for _, path := range sorted(paths) {
		for _, method := range sorted(paths[path].(map[string]any)) {
			operations = append(operations, operation{path, method, paths[path].(map[string]any)[method].(map[string]any)})
		}
	}
	n, statuses := 0, map[int]int{}
	t.Logf("seed %d", seed)
	for until := time.Now().Add(span); n < 2*len(operations) || time.Now().Before(until); n++ {
		o := operations[n%len(operations)]
		if o.method == "delete" && f.IntN(50) > 0 {
			continue // which leaves less and less to ask for
		}
		r := f.request(o.path, o.method, o.said)
		asked := r.Method + " " + r.URL.String()
		w := httptest.NewRecorder()
		handler.ServeHTTP(w, r)
		statuses[w.Code]++
		if w.Code >= 500 {
			t.Fatalf("seed %d, request %d: %s is answered with %d: %s\n%s", seed, n, asked, w.Code, w.Body, logged.String())
		}
		logged.Reset()
	}
	t.Logf("%d requests: %v", n, statuses)
	require.Positive(t, statuses[200])
	require.Positive(t, statuses[422])
}
