package deliver

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"time"
)

// Post is what is posted to a web hook.
type Post struct {
	URL     string
	Secret  []byte
	ID      string // the same whenever it is sent
	Attempt int    // from 1
	Body    []byte // JSON
	At      time.Time
}

// The headers of a post. Whoever gets it makes the signature anew, refuses a time that is long ago, and
// takes an ID once.
const (
	IDHeader        = "Pikegate-Delivery"
	AttemptHeader   = "Pikegate-Attempt"
	TimeHeader      = "Pikegate-Time"
	SignatureHeader = "Pikegate-Signature"
)

// Signature is HMAC-SHA-256 with the secret over ID, time in seconds of the POSIX epoch and body, with a
// point between them, in hexadecimal.
func Signature(secret []byte, id string, at time.Time, body []byte) string {
	mac := hmac.New(sha256.New, secret)
	fmt.Fprintf(mac, "%s.%d.", id, at.Unix())
	mac.Write(body)
	return hex.EncodeToString(mac.Sum(nil))
}

// hookTime is how long a hook may take to answer.
const hookTime = 30 * time.Second

// poster posts to hooks. It goes nowhere else than where it is told to.
var poster = &http.Client{Timeout: hookTime, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}

// Send posts. Refused tells of a hook that will not take it.
func (p Post) Send(ctx context.Context) error {
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, p.URL, bytes.NewReader(p.Body))
	if err != nil {
		return &Refused{err.Error()}
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set(IDHeader, p.ID)
	req.Header.Set(AttemptHeader, strconv.Itoa(p.Attempt))
	req.Header.Set(TimeHeader, strconv.FormatInt(p.At.Unix(), 10))
	req.Header.Set(SignatureHeader, Signature(p.Secret, p.ID, p.At, p.Body))
	answer, err := poster.Do(req)
	if err != nil {
		return err
	}
	_, _ = io.Copy(io.Discard, io.LimitReader(answer.Body, 1<<16))
	if err := answer.Body.Close(); err != nil {
		return err
	}
	switch {
	case answer.StatusCode/100 == 2:
		return nil
	case answer.StatusCode == http.StatusTooManyRequests, answer.StatusCode == http.StatusRequestTimeout, answer.StatusCode >= 500:
		return errors.New("it answered " + answer.Status)
	}
	return &Refused{"it answered " + answer.Status}
}
