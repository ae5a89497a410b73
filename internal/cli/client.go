package cli

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/core/catalog"
	"pikegate/internal/core/fault"
)

const (
	serverVariable = "PIKEGATE_SERVER"
	tokenVariable  = "PIKEGATE_TOKEN"
	defaultServer  = "http://127.0.0.1:8080"
)

// client calls the API of a service.
type client struct {
	base    string
	http    *http.Client
	token   string         // sent where it is not ""
	as      string         // the person as whom reports are seen, "" for oneself
	cookies []*http.Cookie // of a session, while one signs in
}

// host is the name or address of the service.
func (c *client) host() string {
	u, err := url.Parse(c.base)
	if err != nil {
		return ""
	}
	return u.Hostname()
}

// serverFlag adds the flag that says which service to call.
func serverFlag(c *cobra.Command) {
	c.Flags().String("server", "", "address of the service (else $"+serverVariable+", else "+defaultServer+")")
}

func newClient(c *cobra.Command) (*client, error) {
	base, _ := c.Flags().GetString("server")
	if base == "" {
		base = os.Getenv(serverVariable)
	}
	if base == "" {
		base = defaultServer
	}
	u, err := url.Parse(base)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
		return nil, fail(exitUsage, "%q is not the address of a service; it is like %s", base, defaultServer)
	}
	to := &client{base: strings.TrimRight(base, "/"), http: &http.Client{}, token: os.Getenv(tokenVariable)}
	if to.token == "" {
		if to.token, err = keptToken(to.base); err != nil {
			return nil, fail(exitFailed, "the tokens that are kept cannot be read: %w", err)
		}
	}
	to.as, _ = c.Flags().GetString("seen-as")
	return to, nil
}

// asFlag adds the flag of the person as whom a report is seen.
func asFlag(c *cobra.Command) {
	c.Flags().String("seen-as", "", "see it as a person does, with what is theirs to see; for developers and admins")
}

// calling makes what a command does of what it does with a client.
func calling(use func(c *cobra.Command, client *client, args []string) error) func(*cobra.Command, []string) error {
	return func(c *cobra.Command, args []string) error {
		client, err := newClient(c)
		if err != nil {
			return err
		}
		return use(c, client, args)
	}
}

// call sends a request, its body as JSON or, where it is a reader, as it is, and returns the answer
// where its status says that it was done. The body is the caller's to close.
func (c *client) call(ctx context.Context, method, path string, body any, accept string) (*http.Response, error) {
	sent, isFile := body.(io.Reader)
	kind := "application/octet-stream"
	if body != nil && !isFile {
		kind = "application/json"
		text, err := json.Marshal(body)
		if err != nil {
			return nil, err
		}
		sent = bytes.NewReader(text)
	}
	req, err := http.NewRequestWithContext(ctx, method, c.base+api.Prefix+path, sent)
	if err != nil {
		return nil, err
	}
	req.Header.Set("Accept", accept)
	if c.as != "" {
		req.Header.Set(api.AsHeader, url.PathEscape(c.as))
	}
	if c.token != "" {
		req.Header.Set("Authorization", "Bearer "+c.token)
	}
	for _, cookie := range c.cookies {
		req.AddCookie(cookie)
	}
	if body != nil {
		req.Header.Set("Content-Type", kind)
	}
	answer, err := c.http.Do(req)
	switch {
	case ctx.Err() != nil:
		return nil, fail(exitInterrupted, "cancelled")
	case err != nil:
		return nil, fail(exitUnreached, "no service answers at %s (%w); pikegate serve or pikegate demo starts one, --server names another", c.base, errors.Unwrap(err))
	case answer.StatusCode == http.StatusOK:
		return answer, nil
	}
	defer answer.Body.Close()
	p := &api.Problem{}
	if err := json.NewDecoder(io.LimitReader(answer.Body, 16<<20)).Decode(p); err != nil || p.Code == "" {
		return nil, fail(exitUnreached, "what answers at %s is not this service: %s", c.base, answer.Status)
	}
	if p.Code == fault.SignInRequired {
		return nil, &exit{code: codeOf(p), err: fmt.Errorf("%w; pikegate sign-in --name NAME --password-file FILE --server %s", p, c.base)}
	}
	return nil, &exit{code: codeOf(p), err: p}
}

// mostAnswer is the most bytes of an answer that is kept in memory.
const mostAnswer = 256 << 20

// json calls and decodes the answer.
func (c *client) json(ctx context.Context, method, path string, body, into any) error {
	answer, err := c.call(ctx, method, path, body, "application/json")
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	if into == nil {
		return nil
	}
	if err := json.NewDecoder(io.LimitReader(answer.Body, mostAnswer)).Decode(into); err != nil {
		return fail(exitInterrupted, "the answer broke off: %w", err)
	}
	return nil
}

func (c *client) reports(ctx context.Context, search string) ([]api.ReportSummary, error) {
	var list api.ReportList
	err := c.json(ctx, http.MethodGet, "/reports?search="+url.QueryEscape(search), nil, &list)
	return list.Reports, err
}

func (c *client) report(ctx context.Context, name, asOf string) (*api.ReportInfo, error) {
	info := &api.ReportInfo{}
	err := c.json(ctx, http.MethodGet, reportPath(name)+"?as_of="+url.QueryEscape(asOf), nil, info)
	return info, err
}

func (c *client) understand(ctx context.Context, name string, asked api.Asked) (*api.Understanding, error) {
	u := &api.Understanding{}
	err := c.json(ctx, http.MethodPost, reportPath(name)+"/answers", asked, u)
	return u, err
}

func (c *client) check(ctx context.Context, files []catalog.File) ([]fault.Fault, error) {
	var list api.FindingList
	err := c.json(ctx, http.MethodPost, "/definitions/check", api.Upload{Files: files}, &list)
	return list.Findings, err
}

func reportPath(name string) string { return "/reports/" + url.PathEscape(name) }

// completing calls for a shell that waits: briefly, and in silence.
func completing[T any](c *cobra.Command, call func(context.Context, *client) ([]T, error), word func(T) string) ([]string, cobra.ShellCompDirective) {
	client, err := newClient(c)
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	ctx, cancel := context.WithTimeout(context.Background(), 2*time.Second)
	defer cancel()
	found, err := call(ctx, client)
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	words := make([]string, len(found))
	for i, f := range found {
		words[i] = word(f)
	}
	return words, cobra.ShellCompDirectiveNoFileComp
}

// completeReports completes the name of a report.
func completeReports(c *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	return completing(c, func(ctx context.Context, client *client) ([]api.ReportSummary, error) { return client.reports(ctx, "") },
		func(r api.ReportSummary) string { return fmt.Sprintf("%s\t%s", r.Name, r.Title) })
}

// completeAnswers completes the prompt's name in NAME=VALUE.
func completeAnswers(c *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
	if len(args) == 0 || strings.Contains(typed, "=") {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	words, directive := completing(c, func(ctx context.Context, client *client) ([]api.PromptInfo, error) {
		r, err := client.report(ctx, args[0], "")
		return r.Prompts, err
	}, func(p api.PromptInfo) string { return fmt.Sprintf("%s=\t%s", p.Name, p.Ask) })
	return words, directive | cobra.ShellCompDirectiveNoSpace
}
