package traced

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"strings"
	"time"

	tracepb "go.opentelemetry.io/proto/otlp/trace/v1"
	"google.golang.org/protobuf/proto"
)

// headersVariable names headers for the collector, a token for instance, as OpenTelemetry's
// specification has it: "name=value,name=value", values percent-encoded.
const headersVariable = "OTEL_EXPORTER_OTLP_HEADERS"

// collector sends spans by OTLP over HTTP. It is an otlptrace.Client: OpenTelemetry's own brings
// the whole of gRPC with it, 2 MB of the program that are never called.
type collector struct {
	url    string
	header http.Header
	client http.Client

	// firstWait is the wait before a batch is sent again to a collector that is busy. Each further
	// wait is twice as long, until the context of the batch ends.
	firstWait time.Duration
}

func newCollector(endpoint string) (*collector, error) {
	header, err := parseHeaders(os.Getenv(headersVariable))
	if err != nil {
		return nil, fmt.Errorf("%s: %w", headersVariable, err)
	}

	header.Set("Content-Type", "application/x-protobuf")
	header.Set("User-Agent", name)

	return &collector{
		url:       endpoint + "/v1/traces",
		header:    header,
		client:    http.Client{Timeout: 10 * time.Second},
		firstWait: time.Second,
	}, nil
}

func parseHeaders(text string) (http.Header, error) {
	header := http.Header{}
	for pair := range strings.SplitSeq(text, ",") {
		if strings.TrimSpace(pair) == "" {
			continue
		}
		key, escaped, found := strings.Cut(pair, "=")
		value, err := url.PathUnescape(strings.TrimSpace(escaped))
		if key = strings.TrimSpace(key); !found || key == "" || err != nil {
			return nil, errors.New(`headers are written as "name=value,name=value"`)
		}
		header.Set(key, value)
	}
	return header, nil
}

// Start does nothing: each batch is a request of its own.
func (c *collector) Start(context.Context) error { return nil }

// Stop closes idle connections.
func (c *collector) Stop(context.Context) error {
	c.client.CloseIdleConnections()
	return nil
}

// UploadTraces sends a batch of spans. While the collector is busy it tries again until ctx ends.
func (c *collector) UploadTraces(ctx context.Context, spans []*tracepb.ResourceSpans) error {
	// A request to export has the same form on the wire as TracesData: spans in field 1.
	body, err := proto.Marshal(&tracepb.TracesData{ResourceSpans: spans})
	if err != nil {
		return err
	}

	for wait := c.firstWait; ; wait *= 2 {
		busy, err := c.send(ctx, body)
		if !busy {
			return err
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(wait):
		}
	}
}

// send sends a batch once. busy reports that the collector asks for it again later.
func (c *collector) send(ctx context.Context, body []byte) (busy bool, err error) {
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, c.url, bytes.NewReader(body))
	if err != nil {
		return false, err
	}
	request.Header = c.header

	response, err := c.client.Do(request)
	if err != nil {
		return false, err
	}
	defer response.Body.Close()

	if response.StatusCode < 300 {
		_, err = io.Copy(io.Discard, io.LimitReader(response.Body, 64<<10))
		return false, err
	}

	said, err := io.ReadAll(io.LimitReader(response.Body, 1<<10))
	err = errors.Join(fmt.Errorf("%s answered %s: %s", c.url, response.Status, bytes.TrimSpace(said)), err)
	switch response.StatusCode {
	case http.StatusTooManyRequests, http.StatusBadGateway, http.StatusServiceUnavailable, http.StatusGatewayTimeout:
		return true, err
	}
	return false, err
}
