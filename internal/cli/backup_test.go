package cli

import (
	"archive/tar"
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net/http/httptest"
	"os"
	"path/filepath"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/demo/demotest"
	"pikegate/internal/api"
	"pikegate/internal/service/base"
)

// A backup is made while runs and changes go on, and a service on what is restored of it has the same
// records, receipts and people.
func TestBackupAndRestore(t *testing.T) {
	ferries := demotest.Start(t)
	dir := t.TempDir()
	file := filepath.Join(dir, "backup.tar")
	said := func(args ...string) (string, int) {
		var out, errs bytes.Buffer
		code := Main(args, bytes.NewReader(nil), &out, &errs)
		return out.String() + errs.String(), code
	}
	fingerprint := func(server string) string {
		var told struct {
			Receipt struct {
				Records  int
				Evidence struct{ Fingerprint string }
			}
		}
		text, code := said("run", "late-sailings", "--answer", "travel-period=last month", "--evidence", "--output", "json", "--server", server)
		require.Zero(t, code, text)
		require.NoError(t, json.Unmarshal([]byte(text), &told))
		require.Positive(t, told.Receipt.Records)
		return told.Receipt.Evidence.Fingerprint
	}
	before := fingerprint(ferries.URL)

	busy, stop := context.WithCancel(t.Context())
	var all sync.WaitGroup
	for range 4 {
		all.Go(func() {
			for busy.Err() == nil {
				said("run", "passengers-by-day", "--answer", "travel-period=yesterday", "--output", "json", "--server", ferries.URL)
			}
		})
	}
	text, code := said("backup", file, "--server", ferries.URL)
	stop()
	all.Wait()
	require.Zero(t, code, text)
	assert.Contains(t, text, "written to "+file)
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())

	there := filepath.Join(dir, "there")
	text, code = said("restore", file, "--data", there)
	require.Zero(t, code, text)
	s := demotest.Empty(t, there)
	server := httptest.NewServer(api.New(s, api.Limits{}))
	t.Cleanup(server.Close)
	assert.Equal(t, before, fingerprint(server.URL))
	text, code = said("receipt", "1", "--server", server.URL)
	assert.Zero(t, code)
	assert.Contains(t, text, before)
	entries, err := os.ReadDir(ferries.Dir + "/spool")
	require.NoError(t, err)
	assert.Empty(t, entries, "nothing is left behind")

	text, code = said("restore", file, "--data", there)
	assert.Equal(t, exitFailed, code)
	assert.Contains(t, text, "in use by another service")
}

// What is no whole backup, or of a newer program, leaves a directory without a service.
func TestBackupsThatCannotBeRestored(t *testing.T) {
	ferries := demotest.Start(t)
	backup, err := ferries.Service.Base.Backup(t.Context(), "1.2.3")
	require.NoError(t, err)
	t.Cleanup(backup.Close)
	var whole bytes.Buffer
	require.NoError(t, backup.Send(&whole))
	// changed is the backup with its files as change makes them.
	changed := func(change func(name string, text []byte) []byte) []byte {
		var out bytes.Buffer
		from, to := tar.NewReader(bytes.NewReader(whole.Bytes())), tar.NewWriter(&out)
		for {
			head, err := from.Next()
			if err == io.EOF {
				require.NoError(t, to.Close())
				return out.Bytes()
			}
			require.NoError(t, err)
			text, err := io.ReadAll(from)
			require.NoError(t, err)
			text = change(head.Name, text)
			head.Size = int64(len(text))
			require.NoError(t, to.WriteHeader(head))
			_, err = to.Write(text)
			require.NoError(t, err)
		}
	}
	manifest := func(change func(*base.Manifest)) []byte {
		return changed(func(name string, text []byte) []byte {
			if name != "backup.json" {
				return text
			}
			var m base.Manifest
			require.NoError(t, json.Unmarshal(text, &m))
			change(&m)
			text, err := json.Marshal(m)
			require.NoError(t, err)
			return text
		})
	}
	for want, text := range map[string][]byte{
		"it does not begin with backup.json":                      []byte("nothing of the kind"),
		"pikegate.db was cut off":                                 whole.Bytes()[:whole.Len()-100_000],
		"version 1.2.3 made it, which is newer than this program": manifest(func(m *base.Manifest) { m.Tables++ }),
		"of a newer form":                                         manifest(func(m *base.Manifest) { m.PikeGate = 2 }),
		`it holds "../elsewhere", which is no file of a service`:  manifest(func(m *base.Manifest) { m.Files[0].Name = "../elsewhere" }),
		"it does not hold pikegate.db":                            manifest(func(m *base.Manifest) { m.Files = m.Files[:1] }),
		"records.db is not as it was written": changed(func(name string, text []byte) []byte {
			if name == "records.db" {
				text[5000] ^= 1
			}
			return text
		}),
	} {
		dir := t.TempDir()
		_, err := base.Restore(t.Context(), dir, bytes.NewReader(text))
		require.ErrorIs(t, err, base.ErrBackup, want)
		assert.Contains(t, err.Error(), want)
		entries, err := os.ReadDir(dir)
		require.NoError(t, err)
		assert.Len(t, entries, 1)
	}
}
