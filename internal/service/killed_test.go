package service_test

import (
	"bufio"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/deliver"
	"pikegate/internal/service/base"
	"pikegate/internal/service/publish"
	"pikegate/internal/standin"
)

// Where these are set, the test program is a service on a directory whose clock runs a minute in each
// few milliseconds, until it is killed.
const (
	killedDir  = "PIKEGATE_KILLED_DIR"
	killedMail = "PIKEGATE_KILLED_MAIL"
	killedTime = "PIKEGATE_KILLED_TIME"
)

// begins is what such a service says before it first looks for what is due.
const begins = "it begins\n"

// A service that is killed again and again while schedules run and results are sent does each time of a
// schedule once: nothing is left out, and nothing is sent twice without being told as doubtful.
func TestKilledSchedules(t *testing.T) {
	t.Parallel()
	if dir := os.Getenv(killedDir); dir != "" {
		fast(t, dir)
		return
	}
	kills := 20
	if n, err := strconv.Atoi(os.Getenv("PIKEGATE_KILLS")); err == nil {
		kills = n
	}
	server, box := posts(t)
	dir, start := t.TempDir(), time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	now := clockAt(start)
	s, records := timetabled(t, dir, now, nil)
	_, err := records.Exec("INSERT INTO stops ([on], harbour, n) VALUES ('2026-11-22', 'Holm', 1)")
	require.NoError(t, err)
	_, err = s.Publisher.Put(ctx, publish.Put{Files: file(scheduled("every minute", `{mail: {to: [a@example.test, b@example.test], attach: csv}}, {folder: {name: "{receipt}.csv"}}`))})
	require.NoError(t, err)
	require.NoError(t, s.Schedules.Look(ctx))
	require.NoError(t, s.Close())
	random := rand.New(rand.NewPCG(1, 2))
	for i := range kills {
		began := start.Add(time.Duration(i) * 24 * time.Hour)
		c := exec.Command(os.Args[0], "-test.run", "^TestKilledSchedules$")
		c.Env = append(os.Environ(), killedDir+"="+dir, killedMail+"="+fmt.Sprintf("smtp-plain://%s:%d", server.Host, server.Port), killedTime+"="+began.Format(time.RFC3339))
		out, err := c.StdoutPipe()
		require.NoError(t, err)
		require.NoError(t, c.Start())
		said, err := bufio.NewReader(out).ReadString('\n') // that it has begun
		require.NoError(t, err)
		require.Equal(t, begins, said)
		time.Sleep(time.Duration(50+random.IntN(300)) * time.Millisecond)
		require.NoError(t, c.Process.Kill())
		_ = c.Wait()
	}
	now.set(start.Add(time.Duration(kills+1) * 24 * time.Hour))
	s, _ = timetabled(t, dir, now, func(c *base.Config) { c.Mail = server })
	s.KeepSchedules()
	deadline := time.Now().Add(time.Minute)
	doubtful, sent := 0, 0
	for {
		runs, err := s.Base.Store.ScheduleRuns(ctx, "nightly", 100_000)
		require.NoError(t, err)
		open := 0
		doubtful, sent = 0, 0
		for _, r := range runs {
			if r.State == "claimed" {
				open++
			}
			for _, d := range r.Deliveries {
				switch d.State {
				case "waiting", "sending":
					open++
				case "doubtful":
					doubtful++
					assert.NotEqual(t, "folder", d.Kind)
				case "sent":
					if d.Kind == "mail" {
						sent++
					}
				default:
					assert.Fail(t, "a delivery got lost", "%+v", d)
				}
			}
			if r.State == "done" {
				assert.Len(t, r.Deliveries, 3)
			}
		}
		if open == 0 && len(runs) > 0 {
			t.Logf("%d kills, %d times, %d mails sent, %d told as doubtful", kills, len(runs), sent, doubtful)
			break
		}
		require.True(t, time.Now().Before(deadline), "%d are still open", open)
		time.Sleep(50 * time.Millisecond)
	}
	mails, err := standin.List(box, 100_000)
	require.NoError(t, err)
	ids := map[string]int{}
	for _, m := range mails {
		ids[m.ID]++
		assert.Equal(t, 1, ids[m.ID], "%s was sent twice", m.ID)
	}
	assert.GreaterOrEqual(t, len(mails), sent, "what is told as sent is there")
	assert.LessOrEqual(t, len(mails), sent+doubtful, "and what is not is told as doubtful")
}

// fast keeps the schedules of a directory, by a clock that runs fast.
func fast(t *testing.T, dir string) {
	began, err := time.Parse(time.RFC3339, os.Getenv(killedTime))
	require.NoError(t, err)
	server, err := deliver.ParseServer(os.Getenv(killedMail))
	require.NoError(t, err)
	server.From = "reports@example.test"
	now := clockAt(began)
	s, _ := timetabled(t, dir, now, func(c *base.Config) { c.Mail = server })
	require.NoError(t, s.Schedules.Settle(ctx))
	fmt.Print(begins)
	for {
		require.NoError(t, s.Schedules.Look(ctx))
		now.move(time.Minute)
	}
}
