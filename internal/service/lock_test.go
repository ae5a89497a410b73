package service_test

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/service"
	"pikegate/internal/service/base"
)

// One service has a directory to itself, and leaves it as it found it where it is refused.
func TestTwoServicesOnOneDirectory(t *testing.T) {
	dir := t.TempDir()
	config := base.Config{Dir: dir, RunTime: time.Minute, Now: time.Now}
	first, err := service.Open(ctx, config)
	require.NoError(t, err)
	_, err = service.Open(ctx, config)
	require.EqualError(t, err, fmt.Sprintf("the directory %s is in use by another service, process %d; stop it first, or name another directory by --data", dir, os.Getpid()))
	require.NoError(t, first.Close())
	again, err := service.Open(ctx, config)
	require.NoError(t, err, "the lock goes with the service")
	require.NoError(t, again.Close())
}

// A file of own records that is empty is not taken for a new one; one that a killed start
// left half made is made again.
func TestOwnRecordsThatAreEmpty(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "pikegate.db")
	require.NoError(t, os.WriteFile(path+".new", []byte("half"), 0o600))
	config := base.Config{Dir: dir, RunTime: time.Minute, Now: time.Now}
	s, err := service.Open(ctx, config)
	require.NoError(t, err)
	require.NoError(t, s.Close())
	require.NoError(t, os.Truncate(path, 0))
	_, err = service.Open(ctx, config)
	assert.ErrorContains(t, err, "the service's records in "+path+" are empty")
	require.NoError(t, os.Remove(path))
	s, err = service.Open(ctx, config)
	require.NoError(t, err, "without the file it starts anew")
	require.NoError(t, s.Close())
}

// What a service keeps is for nobody else, whatever rights its files had.
func TestRightsOfItsFiles(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "records.db"), nil, 0o644))
	s, err := service.Open(ctx, base.Config{Dir: dir, RunTime: time.Minute, Now: time.Now})
	require.NoError(t, err)
	defer s.Close()
	files, err := os.ReadDir(dir)
	require.NoError(t, err)
	require.Greater(t, len(files), 2)
	for _, f := range files {
		info, err := f.Info()
		require.NoError(t, err)
		assert.Zero(t, info.Mode().Perm()&0o077, "%s may be read by others", f.Name())
	}
}
