package standin

import (
	"cmp"
	"encoding/base64"
	"errors"
	"io"
	"io/fs"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net/mail"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// KeptMail is a mail that was kept.
type KeptMail struct {
	Name    string     `json:"name" doc:"The name of its file."`
	ID      string     `json:"id" doc:"Its Message-ID."`
	At      time.Time  `json:"at" doc:"When it was sent, as it says."`
	From    string     `json:"from" doc:"Who it is from."`
	To      string     `json:"to" doc:"Who got it."`
	Subject string     `json:"subject" doc:"What it is about."`
	Text    string     `json:"text,omitempty" doc:"Its plain text."`
	Files   []MailFile `json:"files,omitempty" doc:"What is attached."`
}

// MailFile is a file that is attached to a mail.
type MailFile struct {
	Name  string `json:"name" doc:"Its name."`
	Type  string `json:"type" doc:"Its media type."`
	Bytes int    `json:"bytes" doc:"How long it is."`
}

// List lists the mails of a directory, the latest first, without their texts.
func List(dir string, most int) ([]KeptMail, error) {
	entries, err := os.ReadDir(dir)
	if errors.Is(err, fs.ErrNotExist) {
		return []KeptMail{}, nil
	}
	if err != nil {
		return nil, err
	}
	all := []KeptMail{}
	slices.SortFunc(entries, func(a, b fs.DirEntry) int { return strings.Compare(b.Name(), a.Name()) })
	for _, e := range entries {
		if !isMail(e.Name()) {
			continue
		}
		k, err := Read(dir, e.Name())
		if err != nil {
			return nil, err
		}
		k.Text = ""
		if all = append(all, *k); len(all) == most {
			break
		}
	}
	return all, nil
}

func isMail(name string) bool {
	return strings.HasSuffix(name, ".eml") && !strings.HasPrefix(name, ".") && filepath.Base(name) == name
}

// Read reads a mail of a directory; fs.ErrNotExist where there is none of the name.
func Read(dir, name string) (*KeptMail, error) {
	if !isMail(name) {
		return nil, fs.ErrNotExist
	}
	f, err := os.Open(filepath.Join(dir, name))
	if err != nil {
		return nil, err
	}
	defer f.Close()
	msg, err := mail.ReadMessage(io.LimitReader(f, mostMail))
	if err != nil {
		return nil, err
	}
	var words mime.WordDecoder
	header := func(key string) string {
		text, err := words.DecodeHeader(msg.Header.Get(key))
		if err != nil {
			return msg.Header.Get(key)
		}
		return text
	}
	k := &KeptMail{Name: name, From: header("From"), To: header("Delivered-To"), Subject: header("Subject"), ID: header("Message-ID")}
	k.At, _ = msg.Header.Date()
	return k, k.part(msg.Header.Get("Content-Type"), msg.Header.Get("Content-Transfer-Encoding"), "", msg.Body)
}

// part reads a part of a mail: the plain text of it, or what is attached.
func (k *KeptMail) part(media, encoding, disposition string, body io.Reader) error {
	kind, values, err := mime.ParseMediaType(cmp.Or(media, "text/plain"))
	if err != nil {
		return err
	}
	if strings.HasPrefix(kind, "multipart/") {
		parts := multipart.NewReader(body, values["boundary"])
		for {
			p, err := parts.NextRawPart()
			if err == io.EOF {
				return nil
			}
			if err != nil {
				return err
			}
			if err := k.part(p.Header.Get("Content-Type"), p.Header.Get("Content-Transfer-Encoding"), p.Header.Get("Content-Disposition"), p); err != nil {
				return err
			}
		}
	}
	switch strings.ToLower(encoding) {
	case "quoted-printable":
		body = quotedprintable.NewReader(body)
	case "base64":
		body = base64.NewDecoder(base64.StdEncoding, body)
	}
	text, err := io.ReadAll(body)
	if err != nil {
		return err
	}
	if _, named, err := mime.ParseMediaType(disposition); err == nil && named["filename"] != "" {
		k.Files = append(k.Files, MailFile{Name: named["filename"], Type: kind, Bytes: len(text)})
	} else if kind == "text/plain" && k.Text == "" {
		k.Text = strings.ReplaceAll(string(text), "\r\n", "\n")
	}
	return nil
}
