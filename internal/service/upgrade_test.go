package service_test

import (
	"compress/gzip"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
	"pikegate/internal/store"
)

// Own records that earlier versions of the program made, the ferry line's with the receipts of two
// runs, are brought to the newest form: their definitions are published, their receipts can be read, and
// what they lack is there. Of each version there is one; a migration comes with one of the version before.
func TestRecordsOfEarlierVersions(t *testing.T) {
	for version := 1; version < store.Tables(); version++ {
		t.Run(fmt.Sprint(version), func(t *testing.T) {
			dir := t.TempDir()
			packed, err := os.Open(fmt.Sprintf("../store/testdata/version-%d.db.gz", version))
			require.NoError(t, err, "a migration was added, and there are no records of the version before it")
			defer packed.Close()
			unpacked, err := gzip.NewReader(packed)
			require.NoError(t, err)
			text, err := io.ReadAll(unpacked)
			require.NoError(t, err)
			path := base.OwnPath(dir)
			require.NoError(t, os.WriteFile(path, text, 0o600))
			was, err := store.Version(t.Context(), path)
			require.NoError(t, err)
			assert.Equal(t, version, was)
			assert.Len(t, store.Missing(was), store.Tables()-version)

			s := open(t, dir, time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC))
			var broken []string
			for _, ref := range []catalog.Ref{{Kind: catalog.KindReport, Name: "late-sailings"}, {Kind: catalog.KindReport, Name: "fuel-on-a-day"}} {
				for _, f := range s.Base.Published.Load().BrokenFor(ref) {
					broken = append(broken, f.Error())
				}
			}
			assert.Empty(t, broken)
			assert.NotEmpty(t, s.Base.Reports(ctx, "late"))
			all, _, err := s.Receipts.History(ctx, receipt.Wanted{Most: 10})
			require.NoError(t, err)
			if version > 1 { // which had none
				var states []receipt.State
				for _, r := range all {
					whole, err := s.Receipts.Find(ctx, r.ID)
					require.NoError(t, err)
					assert.False(t, whole.Partly, whole.Problem)
					states = append(states, whole.State)
				}
				assert.Equal(t, []receipt.State{receipt.Rows, receipt.Refused}, states, "the latest first")
			}
			held, err := s.Base.Store.Held(t.Context())
			require.NoError(t, err)
			assert.Greater(t, held.Definitions, 5)
			list, err := s.Schedules.List(ctx)
			require.NoError(t, err)
			assert.Empty(t, list)
			require.NoError(t, s.Close())
			now, err := store.Version(t.Context(), filepath.Join(dir, filepath.Base(path)))
			require.NoError(t, err)
			assert.Equal(t, store.Tables(), now)
			require.NoError(t, store.Sound(t.Context(), path))
		})
	}
}
