package cli

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"pikegate/internal/api"
	"pikegate/internal/core/catalog"
	"pikegate/internal/service/receipt"
)

// numbered are definitions in which a number stands twice, in two documents that are
// published together.
const numbered = `pikegate: 1
source: harbour
zone: Europe/Helsinki
---
pikegate: 1
dataset: t
source: harbour
table: t
key: [id]
columns: {id: {type: integer}, n: {type: integer}}
---
pikegate: 1
query: q
of: t
show: [id, n]
sort: [id]
---
pikegate: 1
prompt: least
ask: From %[1]d on?
type: number
---
pikegate: 1
report: r
title: Number %[1]d
prompts: [least]
where: {n: {at_least: {prompt: least}}}
sections: [{table: {query: q}}]
`

// A service that is killed again and again, in its first start, while definitions are
// stored, while records are loaded and while reports run, always comes back whole: what
// belongs together is all there or all as it was, and no receipt says what is not so.
// PIKEGATE_KILLS is how often.
func TestKilledAgainAndAgain(t *testing.T) {
	kills := 12
	if text := os.Getenv("PIKEGATE_KILLS"); text != "" {
		var err error
		kills, err = strconv.Atoi(text)
		require.NoError(t, err)
	}
	random := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 0))
	var dir string
	for n := range kills {
		if n%20 == 0 { // and some first starts
			dir = t.TempDir()
			if n > 0 {
				first := startService(t, dir)
				time.Sleep(time.Duration(random.IntN(60)) * time.Millisecond)
				first.kill(t)
			}
		}
		s := startService(t, dir)
		at := s.address(t)
		wholeAgain(t, at)
		done, number := make(chan struct{}), 1+random.IntN(1000)
		go func() {
			defer close(done)
			if n%20 == 0 {
				send(at, "POST", "/definitions", upload(1))
				send(at, "POST", "/loads/t?mode=replace&key=id", rowsOf(1))
			}
			for i := n; ; i++ {
				var failed error
				switch i % 3 {
				case 0:
					failed = send(at, "POST", "/definitions", upload(number))
				case 1:
					failed = send(at, "POST", "/loads/t?mode=replace&key=id", rowsOf(number))
				case 2:
					failed = send(at, "POST", "/reports/r/runs", []byte("{}"))
				}
				if failed != nil {
					return
				}
			}
		}()
		time.Sleep(time.Duration(20+random.IntN(150)) * time.Millisecond)
		s.kill(t)
		<-done
	}
	s := startService(t, dir)
	wholeAgain(t, s.address(t))
	s.kill(t)
}

func upload(number int) []byte {
	text, _ := json.Marshal(api.Upload{Files: []catalog.File{{Name: "numbered.yaml", Text: fmt.Sprintf(numbered, number)}}}) // of texts
	return text
}

func rowsOf(number int) []byte {
	var b bytes.Buffer
	b.WriteString("id,n\n")
	for i := range 500 + number {
		fmt.Fprintf(&b, "%d,%d\n", i, number)
	}
	return b.Bytes()
}

func send(at, method, path string, body []byte) error {
	req, err := http.NewRequest(method, at+api.Prefix+path, bytes.NewReader(body))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/json")
	if strings.HasPrefix(path, "/loads") {
		req.Header.Set("Content-Type", "application/octet-stream")
	}
	answer, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	_, err = io.Copy(io.Discard, answer.Body)
	return err
}

// served is a service in a process of its own.
type served struct {
	*exec.Cmd
	at    chan string // its address, once it answers; closed when its log ends
	ended chan struct{}
}

func startService(t *testing.T, dir string, more ...string) served {
	t.Helper()
	s := served{program(t, append([]string{"serve", "--listen", "127.0.0.1:0", "--data", dir}, more...)...), make(chan string, 1), make(chan struct{})}
	said, err := s.StderrPipe()
	require.NoError(t, err)
	require.NoError(t, s.Start())
	t.Cleanup(func() { _ = s.Process.Kill() }) // where the test ends before it does
	go func() {
		defer close(s.ended)
		defer close(s.at)
		for lines := bufio.NewScanner(said); lines.Scan(); {
			if at, _, _ := strings.Cut(address.FindString(lines.Text()), `"`); at != "" {
				s.at <- at
				break
			}
		}
		_, _ = io.Copy(io.Discard, said) // else it waits for somebody to read
	}()
	return s
}

// address waits until the service answers.
func (s served) address(t *testing.T) string {
	t.Helper()
	at := <-s.at
	require.NotEmpty(t, at, "it ended before it answered")
	return at
}

func (s served) kill(t *testing.T) {
	t.Helper()
	require.NoError(t, s.Process.Kill())
	<-s.ended
	_ = s.Wait()
}

// wholeAgain holds a service that has just started to what must be so.
func wholeAgain(t *testing.T, at string) {
	t.Helper()
	get := func(path string, into any) int {
		answer, err := http.Get(at + path)
		require.NoError(t, err)
		defer answer.Body.Close()
		if answer.StatusCode == 200 && into != nil {
			require.NoError(t, json.NewDecoder(answer.Body).Decode(into))
		}
		return answer.StatusCode
	}
	require.Equal(t, 200, get("/readyz", nil))
	var list api.ReceiptList
	require.Equal(t, 200, get(api.Prefix+"/receipts?limit=1000", &list))
	for i, r := range list.Receipts {
		require.NotEqual(t, receipt.Running, r.State, "receipt %d", r.ID)
		if i > 0 {
			require.Equal(t, list.Receipts[i-1].ID-1, r.ID, "no number is left out")
		}
	}
	var info api.ReportInfo
	if get(api.Prefix+"/reports/r", &info) == 404 {
		return // nothing was ever stored
	}
	require.Len(t, info.Prompts, 1)
	require.Equal(t, strings.TrimPrefix(info.Title, "Number "), strings.TrimSuffix(strings.TrimPrefix(info.Prompts[0].Ask, "From "), " on?"), "what is published together")
	answer, err := http.Post(at+api.Prefix+"/reports/r/runs?output=csv", "application/json", strings.NewReader("{}"))
	require.NoError(t, err)
	defer answer.Body.Close()
	if answer.StatusCode != 200 {
		return // before the first load
	}
	rows, err := csv.NewReader(answer.Body).ReadAll()
	require.NoError(t, err)
	require.Greater(t, len(rows), 1)
	number, err := strconv.Atoi(rows[1][1])
	require.NoError(t, err)
	require.Len(t, rows, 1+500+number, "a load is whole or not there")
	for _, row := range rows[1:] {
		require.Equal(t, rows[1][1], row[1])
	}
}

// A service that is told to end does so within its time, whoever does not read; and what
// was cut off is on record as that.
func TestEndingBesideReadersWhoDoNotRead(t *testing.T) {
	dir := t.TempDir()
	s := startService(t, dir, "--stop-time", "1s")
	at := s.address(t)
	require.NoError(t, send(at, "POST", "/loads/t?key=id", rowsOf(400_000)))
	require.NoError(t, send(at, "POST", "/definitions", upload(1)))
	conn, err := net.Dial("tcp", strings.TrimPrefix(at, "http://"))
	require.NoError(t, err)
	defer conn.Close()
	require.NoError(t, conn.(*net.TCPConn).SetReadBuffer(4096))
	_, err = io.WriteString(conn, "POST /api/v1/reports/r/runs HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\nContent-Length: 2\r\n\r\n{}")
	require.NoError(t, err)
	require.Eventually(t, func() bool { return len(receipts(t, at)) == 1 }, 20*time.Second, 10*time.Millisecond)
	time.Sleep(300 * time.Millisecond)
	start := time.Now()
	require.NoError(t, s.Process.Signal(os.Interrupt))
	<-s.ended
	require.NoError(t, s.Wait())
	require.Less(t, time.Since(start), 20*time.Second)
	again := startService(t, dir)
	all := receipts(t, again.address(t))
	require.Len(t, all, 1)
	require.Contains(t, []receipt.State{receipt.Cancelled, receipt.CutByTime}, all[0].State)
	again.kill(t)
}
