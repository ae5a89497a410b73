package schedule

import (
	"context"
	"errors"
	"fmt"
	"mime"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"go.opentelemetry.io/otel/attribute"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/english"
	"pikegate/internal/deliver"
	"pikegate/internal/export"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
	"pikegate/internal/store"
	"pikegate/internal/traced"
)

// usualMailBytes is the most that is attached to a mail where no setting says otherwise, and
// mostPosted the most that is posted to a hook.
const (
	usualMailBytes = 10 << 20
	mostPosted     = 16 << 20
)

// parcel is what is sent of one run: its receipt, and its files as they are first needed.
type parcel struct {
	s       *Schedules
	o       owned
	run     *store.ScheduleRun
	ctx     context.Context // in which the owner asks
	dir     string          // where files lie until all is sent
	receipt *receipt.Receipt
	files   map[string]deliver.File // by format
	message *message                // of the mails, once one is made
	away    error                   // why the mail server could not be reached: the further mails need not wait for it too
}

// send sends what waits of a run and is due.
func (s *Schedules) send(ctx context.Context, o owned, r *store.ScheduleRun) (err error) {
	now := s.now()
	var p *parcel
	defer func() {
		if p != nil {
			err = errors.Join(err, os.RemoveAll(p.dir))
		}
	}()
	for i := range r.Deliveries {
		d := &r.Deliveries[i]
		if d.State != store.Waiting || d.NextAt.After(now) {
			continue
		}
		if p == nil {
			if p, err = s.pack(o, r); err != nil {
				return err
			}
		}
		d.State = store.Sending
		d.Tries++
		if err := s.base.Store.SetDelivery(ctx, d); err != nil {
			return err
		}
		delivering, span := traced.Begin(ctx, "deliver by "+d.Kind, attribute.Int("pikegate.try", d.Tries))
		failed := p.deliver(delivering, d)
		span.End(failed)
		if ctx.Err() != nil && failed != nil {
			return ctx.Err() // it is on record as being sent
		}
		s.judged(ctx, o, r, d, failed)
		if err := s.base.Store.SetDelivery(context.WithoutCancel(ctx), d); err != nil {
			return err
		}
	}
	return nil
}

// judged says what became of a delivery.
func (s *Schedules) judged(ctx context.Context, o owned, r *store.ScheduleRun, d *store.Delivery, failed error) {
	var refused *deliver.Refused
	now := s.now()
	d.Problem, d.EndedAt = "", now
	switch {
	case failed == nil:
		d.State = store.Sent
		s.people.Done(base.WithPerson(ctx, base.Person{Name: o.person}), "deliver", fmt.Sprintf("%s by %s to %s", o.Name, d.Kind, d.Recipient))
	case errors.Is(failed, deliver.ErrDoubtful):
		d.State, d.Problem = store.Doubtful, failed.Error()
	default:
		says, forGood := problemOf(failed)
		if d.Problem = says; forGood || errors.As(failed, &refused) || d.Tries > len(pauses) {
			d.State = store.Failed
			break
		}
		d.State, d.EndedAt, d.NextAt = store.Waiting, time.Time{}, now.Add(pauses[d.Tries-1])
		return
	}
	s.counted(d.Kind, string(d.State))
	if d.State == store.Failed || d.State == store.Doubtful {
		s.fails(ctx, o, r.DueAt, d.Kind+" to "+d.Recipient+": "+d.Problem)
	}
}

func (s *Schedules) pack(o owned, r *store.ScheduleRun) (*parcel, error) {
	dir, err := os.MkdirTemp(s.base.Spool.Dir, "delivery-*")
	if err != nil {
		return nil, err
	}
	return &parcel{s: s, o: o, run: r, dir: dir, files: map[string]deliver.File{}}, nil
}

// deliver sends to one recipient.
func (p *parcel) deliver(ctx context.Context, d *store.Delivery) error {
	if p.o.Check != nil {
		return p.checkMail(ctx, d)
	}
	if p.ctx == nil {
		if p.o.Report == nil || len(p.o.faults) > 0 {
			return &deliver.Refused{Why: "the schedule is not there any more, or cannot be read"}
		}
		owner, err := p.s.asOwner(ctx, p.o)
		if err != nil {
			return err
		}
		p.ctx = owner
	}
	if p.receipt == nil {
		var err error
		if p.receipt, err = p.s.receipts.Find(p.ctx, p.run.Receipt); err != nil {
			return err
		}
	}
	if d.Place >= len(p.o.Send) || kindOf(p.o.Send[d.Place]) != d.Kind {
		return &deliver.Refused{Why: "the schedule sends it there no more"}
	}
	to := p.o.Send[d.Place]
	switch d.Kind {
	case "mail":
		return p.mail(ctx, to.Mail, d)
	case "folder":
		return p.folder(to.Folder, d)
	}
	return p.hook(ctx, to.Hook, d)
}

// file is the result in a format, as a file.
func (p *parcel) file(format string) (deliver.File, error) {
	if f, known := p.files[format]; known {
		return f, nil
	}
	req := answer.Request{Of: p.run.Receipt}
	if export.Format(format) == export.CSV || export.Format(format) == export.NDJSON && p.receipt.Main > 0 {
		req.Section = max(p.receipt.Main, p.receipt.Section, 1)
	}
	started, err := p.s.runs.Prepare(p.ctx, p.o.Report.Name, req)
	if err != nil {
		return deliver.File{}, err
	}
	name := fmt.Sprintf("%s-%s.%s", p.o.Report.Name, p.receipt.AsOf, format)
	f := deliver.File{Name: name, Path: filepath.Join(p.dir, name), MediaType: export.MediaTypes[export.Format(format)]}
	if kind, _, err := mime.ParseMediaType(f.MediaType); err == nil {
		f.MediaType = kind
	}
	to, err := os.OpenFile(f.Path, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return f, err
	}
	result, closed := started.In(export.Format(format), export.CSVForm{}, started.Sending(to, func() {}, nil))
	defer closed()
	_, err = started.Stream(p.ctx, result)
	if err = errors.Join(err, to.Close()); err != nil {
		return f, err
	}
	info, err := os.Stat(f.Path)
	if err != nil {
		return f, err
	}
	f.Bytes = info.Size()
	p.files[format] = f
	return f, nil
}

func (p *parcel) mail(ctx context.Context, to *catalog.Mail, d *store.Delivery) error {
	config := p.s.base.Config()
	if !config.Mail.IsSet() {
		return &deliver.Refused{Why: "the service has no mail server: the setting mail-server names one"}
	}
	if !slices.Contains(to.To, d.Recipient) {
		return &deliver.Refused{Why: "the schedule sends it there no more"}
	}
	if f := p.s.unmailed(d.Recipient); f != nil {
		return &deliver.Refused{Why: f.Message}
	}
	if p.message == nil {
		var err error
		if p.message, err = p.makeMessage(); err != nil {
			return err
		}
	}
	var files []deliver.File
	var total int64
	for _, format := range to.Attach {
		f, err := p.file(format)
		if err != nil {
			return err
		}
		files, total = append(files, f), total+f.Bytes
	}
	most := config.MailBytes
	if most == 0 {
		most = usualMailBytes
	}
	note := ""
	if total > most {
		note = fmt.Sprintf("What was to be attached has %s bytes, and a mail takes %s.", english.Grouped(total), english.Grouped(most))
		files = nil
		if config.Address == "" {
			note += " The result is at the service, as receipt " + fmt.Sprint(p.run.Receipt) + "."
		} else {
			note += " The result is here: " + p.link()
		}
	}
	m := p.message.to(note)
	m.ID, m.To, m.Files, m.At = fmt.Sprintf("pikegate-%d-%d", p.run.ID, d.ID), d.Recipient, files, p.s.base.Config().Now()
	return p.mailed(ctx, m)
}

// mailed sends a mail, where the server was not out of reach for one before.
func (p *parcel) mailed(ctx context.Context, m deliver.Message) error {
	if p.away != nil {
		return p.away
	}
	failed := p.s.base.Config().Mail.Send(ctx, m)
	if errors.Is(failed, deliver.ErrUnreached) {
		p.away = failed
	}
	return failed
}

// link is where the receipt is shown, "" where the service does not know where it is.
func (p *parcel) link() string {
	if p.s.base.Config().Address == "" {
		return ""
	}
	return fmt.Sprintf("%s/receipts/%d", strings.TrimSuffix(p.s.base.Config().Address, "/"), p.run.Receipt)
}

func (p *parcel) folder(to *catalog.Folder, d *store.Delivery) error {
	if p.s.base.Config().Deliveries == "" {
		return &deliver.Refused{Why: "the service has no directory for deliveries: the setting deliver-to names one"}
	}
	f, err := p.file(to.Format)
	if err != nil {
		return err
	}
	below, name := path.Split(d.Recipient)
	return deliver.Put(p.s.base.Config().Deliveries, path.Clean("./"+below), name, f.Path)
}

func (p *parcel) hook(ctx context.Context, to *catalog.Hook, d *store.Delivery) error {
	u, err := url.Parse(to.URL)
	if err != nil || !slices.ContainsFunc(p.s.base.Config().HookHosts, func(h string) bool { return strings.EqualFold(h, u.Host) || strings.EqualFold(h, u.Hostname()) }) {
		return &deliver.Refused{Why: "results are posted to no host that the setting hook-hosts does not name"}
	}
	secret, err := p.s.base.Config().Sources.Referred(to.Secret, "secret")
	if err != nil {
		return &deliver.Refused{Why: err.Error()}
	}
	f, err := p.file(string(export.JSON))
	if err != nil {
		return err
	}
	if f.Bytes > mostPosted {
		return &deliver.Refused{Why: fmt.Sprintf("the result has %s bytes, and %s are posted at most", english.Grouped(f.Bytes), english.Grouped(mostPosted))}
	}
	body, err := os.ReadFile(f.Path)
	if err != nil {
		return err
	}
	return deliver.Post{URL: to.URL, Secret: []byte(secret), ID: fmt.Sprintf("%d-%d", p.run.ID, d.ID), Attempt: d.Tries, Body: body, At: p.s.base.Config().Now()}.Send(ctx)
}

// clear removes files that were kept long enough.
func (s *Schedules) clear(all []owned) (err error) {
	for _, o := range all {
		for _, to := range o.Send {
			if to.Folder != nil && to.Folder.Keep > 0 && s.base.Config().Deliveries != "" {
				err = errors.Join(err, deliver.Clear(s.base.Config().Deliveries, to.Folder.Path, to.Folder.Name, s.base.Config().Now().AddDate(0, 0, -to.Folder.Keep)))
			}
		}
	}
	return err
}
