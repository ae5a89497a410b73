package traced

import (
	"io"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	tracepb "go.opentelemetry.io/proto/otlp/trace/v1"
	"google.golang.org/protobuf/proto"
)

// A collector that is busy gets the same batch again; one that refuses it does not.
func TestCollector(t *testing.T) {
	t.Setenv(headersVariable, "Authorization=Bearer%20herring, X-Harbour = Holm")
	var answers []int
	var bodies [][]byte
	to := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		assert.Equal(t, "/v1/traces", r.URL.Path)
		assert.Equal(t, "application/x-protobuf", r.Header.Get("Content-Type"))
		assert.Equal(t, "Bearer herring", r.Header.Get("Authorization"))
		assert.Equal(t, "Holm", r.Header.Get("X-Harbour"))
		body, err := io.ReadAll(r.Body)
		assert.NoError(t, err)
		bodies = append(bodies, body)
		w.WriteHeader(answers[0])
		answers = answers[1:]
		_, _ = io.WriteString(w, "as it is")
	}))
	defer to.Close()
	c, err := newCollector(to.URL)
	require.NoError(t, err)
	c.firstWait = time.Microsecond
	spans := []*tracepb.ResourceSpans{{SchemaUrl: "of the test"}}

	answers = []int{503, 429, 200}
	require.NoError(t, c.UploadTraces(t.Context(), spans))
	require.Len(t, bodies, 3)
	var sent tracepb.TracesData
	require.NoError(t, proto.Unmarshal(bodies[2], &sent))
	assert.Equal(t, "of the test", sent.ResourceSpans[0].SchemaUrl)

	answers = []int{400}
	assert.EqualError(t, c.UploadTraces(t.Context(), spans), to.URL+"/v1/traces answered 400 Bad Request: as it is")
	require.NoError(t, c.Stop(t.Context()))
}

func TestHeadersOfTheCollector(t *testing.T) {
	for _, wrong := range []string{"Authorization", "=x", "a=%zz", "a=b,c"} {
		t.Setenv(headersVariable, wrong)
		_, err := newCollector("http://127.0.0.1:1")
		assert.EqualError(t, err, headersVariable+`: headers are written as "name=value,name=value"`, wrong)
	}
	t.Setenv(headersVariable, " ,")
	_, err := newCollector("http://127.0.0.1:1")
	assert.NoError(t, err, "none are none")
}
