package work

import (
	"context"
	"errors"
	"io"
	"strconv"
	"time"

	"ruvel/core/problem"
	"ruvel/internal/hosts"
	"ruvel/internal/media"
	"ruvel/internal/store"
)

// mostTries is how often a host is tried before a sending is given up.
const mostTries = 6

// Send stores that a finished file is to go to a host, and queues it.
func (w *Worker) Send(ctx context.Context, m store.Mixdown, show, host, way string) (store.Sending, error) {
	n := store.Sending{ID: store.NewID(), Episode: m.Episode, Mixdown: &m.ID, File: m.File, Host: host, Way: way}
	if err := w.Store.AddSending(ctx, n); err != nil {
		return n, err
	}
	if _, err := w.SubmitAs(ctx, n.ID, Sending, show, &m.Episode, m.File, struct{}{}); err != nil {
		n.State, n.Said = store.SendingFailed, "It could not be queued. Try again."
		return n, errors.Join(err, w.Store.SetSending(ctx, n))
	}
	return w.Store.Sending(ctx, n.ID)
}

// again says that a job is to be begun again after a while, and that nothing is wrong with it. Meanwhile others are done.
type again struct{ after time.Duration }

func (a again) Error() string { return "it is tried again after " + a.after.String() }

// send tries to bring a file to a host. What breaks off is tried again, after a longer and longer while; what
// the host refuses is not.
func (w *Worker) send(ctx context.Context, job store.Job) error {
	n, err := w.Store.Sending(ctx, job.ID)
	switch {
	case err != nil || n.State == store.SendingSent: // the process ended between its end and that of its job
		return err
	case n.State == store.SendingRefused || n.State == store.SendingFailed: // which was the last word then
		return problem.New("not-sent", "host", "%s", n.Said)
	}
	n.State, n.Again = store.SendingRuns, nil
	n.Tries++
	if err := w.sending(ctx, job, n); err != nil {
		return err
	}
	receipt, err := w.try(ctx, job, n)
	var refused hosts.Refused
	switch {
	case err == nil:
		n.State, n.Said = store.SendingSent, receipt.Words
		return w.sending(ctx, job, n)
	case ctx.Err() != nil:
		return ctx.Err()
	case errors.As(err, &refused):
		n.State, n.Said = store.SendingRefused, clip(refused.Words, 1000)
	case n.Tries >= mostTries:
		n.State, n.Said = store.SendingFailed, clip("Given up after "+strconv.Itoa(n.Tries)+" tries: "+err.Error()+".", 1000)
	default:
		wait := again{w.between(n.Tries)}
		at := time.Now().Add(wait.after)
		n.State, n.Said, n.Again = store.SendingWaits, clip(err.Error(), 1000), &at
		return errors.Join(w.sending(ctx, job, n), wait)
	}
	return errors.Join(w.sending(ctx, job, n), problem.New("not-sent", "host", "%s", n.Said))
}

// sending keeps how far a sending has come, and tells the windows of its episode.
func (w *Worker) sending(ctx context.Context, job store.Job, n store.Sending) error {
	err := w.Store.SetSending(ctx, n)
	w.Queue.Announce(EpisodeSubject(n.Episode), Event{Sendings: &ShowEvent{job.Show}})
	return err
}

// try is one try.
func (w *Worker) try(ctx context.Context, job store.Job, n store.Sending) (hosts.Receipt, error) {
	host, there := w.Hosts[n.Host]
	if !there {
		return hosts.Receipt{}, hosts.Refused{Words: "There is no such host any more."}
	}
	if n.Mixdown == nil {
		return hosts.Receipt{}, hosts.Refused{Words: "The file was removed before it could be sent."}
	}
	m, err := w.Store.Mixdown(ctx, *n.Mixdown)
	if err != nil {
		return hosts.Receipt{}, err
	}
	format, _ := media.FindFormat(m.Format)
	told := w.meter(ctx, job)
	return host.Send(ctx, hosts.Delivery{
		Key: n.ID, Try: n.Tries, Way: n.Way, File: m.File, Type: format.Type, Size: m.Bytes,
		Open: func(ctx context.Context) (io.ReadCloser, error) { return w.Bucket.NewReader(ctx, MixdownKey(m), nil) },
		Told: func(bytes int64) { told(float64(bytes) / float64(max(1, m.Bytes))) },
	})
}

// between is how long it is waited after some tries: one second, two, four, up to a minute.
func (w *Worker) between(tries int) time.Duration {
	first := w.Pause
	if first == 0 {
		first = time.Second
	}
	return min(first<<(tries-1), time.Minute)
}
