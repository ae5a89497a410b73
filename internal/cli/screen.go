package cli

import (
	"bytes"
	"errors"
	"io"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"unicode/utf8"

	"github.com/rivo/uniseg"
	"golang.org/x/term"
)

// screen is what is known of where a table is printed to. The zero screen is none: a file or another
// program.
type screen struct {
	width  int // in letters; 0 where lines may be of any length
	height int
	colour bool
}

// screenOf is that of a terminal.
func screenOf(stream any) screen {
	f, ok := stream.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) {
		return screen{}
	}
	s := screen{colour: os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb"}
	if width, height, err := term.GetSize(int(f.Fd())); err == nil {
		s.width, s.height = width, height
	}
	return s
}

// wrapping breaks lines that are longer than a screen is wide, at blanks; what follows is indented.
type wrapping struct {
	to    io.Writer
	width int
	line  []byte // of which the end has not come
}

func (w *wrapping) Write(b []byte) (int, error) {
	w.line = append(w.line, b...)
	for {
		end := bytes.IndexByte(w.line, '\n')
		if end < 0 {
			return len(b), nil
		}
		if _, err := io.WriteString(w.to, wrapped(string(w.line[:end]), w.width)+"\n"); err != nil {
			return 0, err
		}
		w.line = append(w.line[:0], w.line[end+1:]...)
	}
}

// letters is how wide a text is on a screen, without what switches colours.
func letters(text string) int {
	for {
		before, after, ok := strings.Cut(text, "\x1b[")
		if !ok {
			return uniseg.StringWidth(text)
		}
		_, rest, _ := strings.Cut(after, "m")
		text = before + rest
	}
}

// wrapped is a line in as many as it takes.
func wrapped(line string, width int) string {
	if letters(line) <= width {
		return line
	}
	indent := strings.Repeat(" ", min(len(line)-len(strings.TrimLeft(line, " "))+2, width/2))
	var b strings.Builder
	for i, part := range broken(strings.TrimRight(line, " "), width, width-len(indent)) {
		if i > 0 {
			b.WriteString("\n" + indent)
		}
		b.WriteString(part)
	}
	return b.String()
}

// broken breaks a text into lines of a width, the first of another, at blanks where there are some.
func broken(text string, first, width int) (lines []string) {
	for most := first; ; most = width {
		if letters(text) <= most {
			return append(lines, text)
		}
		at, blank, taken := 0, -1, 0
		for i, r := range text {
			if r == ' ' && strings.TrimSpace(text[:i]) != "" {
				blank = i
			}
			if taken += uniseg.StringWidth(string(r)); taken > most {
				break
			}
			at = i + utf8.RuneLen(r)
		}
		rest := at
		if blank > 0 {
			at, rest = blank, blank+1
		}
		if at == 0 { // a letter that is wider than the line
			_, at = utf8.DecodeRuneInString(text)
			rest = at
		}
		lines, text = append(lines, text[:at]), text[rest:]
	}
}

// paged hands what is written to the person's pager, where what is printed goes to a terminal; else
// straight on. The variable PAGER names the pager; where it is empty there is none.
func paged(to io.Writer, write func(io.Writer) error) error {
	pager, set := os.LookupEnv("PAGER")
	if !set {
		pager = "less"
	}
	f, ok := to.(*os.File)
	if !ok || screenOf(to).height == 0 || strings.TrimSpace(pager) == "" || pager == "cat" {
		return write(to)
	}
	if _, err := exec.LookPath(strings.Fields(pager)[0]); err != nil {
		return write(to)
	}
	c := exec.Command("sh", "-c", pager)
	c.Stdout, c.Stderr = f, os.Stderr
	c.Env = append(os.Environ(), "LESSCHARSET=utf-8")
	if _, set := os.LookupEnv("LESS"); !set {
		c.Env = append(c.Env, "LESS=FRX") // ends by itself where all fits on the screen
	}
	in, err := c.StdinPipe()
	if err != nil {
		return err
	}
	if err := c.Start(); err != nil {
		return write(to)
	}
	err = write(in)
	in.Close()
	if wrong := c.Wait(); err == nil {
		err = wrong
	}
	if errors.Is(err, syscall.EPIPE) { // who has seen enough
		return nil
	}
	return err
}
