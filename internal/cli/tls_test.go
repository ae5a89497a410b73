package cli

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"math/big"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/demo/demotest"
	"pikegate/internal/service/base"
	"pikegate/internal/service/people"
)

// certify writes a certificate of a number with its key.
func certify(t *testing.T, dir string, number int64) {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	about := &x509.Certificate{SerialNumber: big.NewInt(number), NotAfter: time.Now().Add(time.Hour), IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}}
	cert, err := x509.CreateCertificate(rand.Reader, about, about, &key.PublicKey, key)
	require.NoError(t, err)
	secret, err := x509.MarshalPKCS8PrivateKey(key)
	require.NoError(t, err)
	for name, block := range map[string]*pem.Block{"cert.pem": {Type: "CERTIFICATE", Bytes: cert}, "key.pem": {Type: "PRIVATE KEY", Bytes: secret}} {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, pem.EncodeToMemory(block), 0o600))
		at := time.Unix(1_800_000_000+number, 0)
		require.NoError(t, os.Chtimes(path, at, at))
	}
}

// A service encrypts with a certificate of files, takes a new one without a restart, and goes on with
// the one before where the new one cannot be read; its cookies go no other way.
func TestTLS(t *testing.T) {
	dir := t.TempDir()
	to := usual()
	to.grace = time.Second
	to.encrypted.cert, to.encrypted.key = filepath.Join(dir, "cert.pem"), filepath.Join(dir, "key.pem")
	s := demotest.Empty(t, t.TempDir())
	_, err := s.People.Add(t.Context(), "Ines", "gulls over the mole", base.Admin, people.Limits{})
	require.NoError(t, err)
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	require.ErrorContains(t, serveOn(t.Context(), s, listener, to), "tls-certificate and tls-key")
	certify(t, dir, 1)
	ended := make(chan error, 1)
	go func() { ended <- serveOn(t.Context(), s, listener, to) }()

	call := func() *http.Response {
		t.Helper()
		client := http.Client{Transport: &http.Transport{DisableKeepAlives: true, TLSClientConfig: &tls.Config{InsecureSkipVerify: true}}} // it is its own
		answer, err := client.Post("https://"+listener.Addr().String()+"/api/v1/session", "application/json", strings.NewReader(`{"name":"Ines","password":"gulls over the mole"}`))
		require.NoError(t, err)
		t.Cleanup(func() { answer.Body.Close() })
		return answer
	}
	answer := call()
	assert.Equal(t, int64(1), answer.TLS.PeerCertificates[0].SerialNumber.Int64())
	require.Len(t, answer.Cookies(), 1)
	assert.True(t, answer.Cookies()[0].Secure)
	certify(t, dir, 2)
	assert.Equal(t, int64(2), call().TLS.PeerCertificates[0].SerialNumber.Int64())
	require.NoError(t, os.WriteFile(to.encrypted.cert, []byte("no certificate"), 0o600))
	assert.Equal(t, int64(2), call().TLS.PeerCertificates[0].SerialNumber.Int64())
	require.NoError(t, listener.Close())
	<-ended
}
