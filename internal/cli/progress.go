package cli

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"sync"
	"time"

	"pikegate/internal/api"
	"pikegate/internal/core/english"
	"pikegate/internal/service/receipt"
)

// A run that takes longer than this tells how far it is, so often.
const (
	quietFor  = 700 * time.Millisecond
	tellEvery = 500 * time.Millisecond
)

// follow shows on out how far a run is until the first byte of what it returns is read. The link
// leads to its receipt.
func (c *client) follow(ctx context.Context, body io.Reader, link string, out io.Writer) io.Reader {
	id := linked(link)
	if id == 0 {
		return body
	}
	ctx, stop := context.WithCancel(ctx)
	shown := make(chan struct{})
	go func() {
		defer close(shown)
		told := false
		for wait := quietFor; ; wait = tellEvery {
			select {
			case <-ctx.Done():
				if told {
					fmt.Fprint(out, clearLine)
				}
				return
			case <-time.After(wait):
			}
			var r receipt.Receipt
			if c.json(ctx, http.MethodGet, fmt.Sprintf("/receipts/%d", id), nil, &r) == nil && r.Progress != nil {
				told = true
				fmt.Fprint(out, clearLine, "run ", id, ": ", progressText(r.Progress))
			}
		}
	}()
	return &until{body, sync.OnceFunc(func() {
		stop()
		<-shown
	})}
}

// clearLine goes to the beginning of a terminal's line and clears it.
const clearLine = "\r\x1b[K"

// progressText is how far a run is, in words.
func progressText(p *receipt.Progress) string {
	switch {
	case p.Stage == receipt.Waiting && p.Ahead > 0:
		return fmt.Sprintf("waiting, %s before it", english.Count(p.Ahead, "run"))
	case p.Stage == receipt.Waiting:
		return "waiting for its turn"
	case p.Stage == receipt.Counting:
		return "counting what shows that the records are right"
	case p.Rows == 0:
		return "reading"
	}
	text := "reading, " + english.Grouped(p.Rows) + " rows so far"
	if p.Share != nil {
		text += fmt.Sprintf(", %d %% of the period", *p.Share)
	}
	return text
}

// until is a reader that calls stop when the first byte has come, or the end.
type until struct {
	io.Reader
	stop func()
}

func (u *until) Read(b []byte) (int, error) {
	n, err := u.Reader.Read(b)
	u.stop()
	return n, err
}

// linked is the number of the receipt that a link leads to, 0 for none.
func linked(link string) (id int64) {
	if _, err := fmt.Sscanf(link, "<"+api.Prefix+"/receipts/%d>", &id); err != nil {
		return 0
	}
	return id
}
