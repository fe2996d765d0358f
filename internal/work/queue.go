// Package work does what takes long: importing sounds, mixing episodes down, making sounds
// of takes. Which jobs there are, who does them and how they ended stands in the database;
// a NATS JetStream queue, embedded unless another is named, hands their ids to workers. What
// the queue loses is put into it again. A job whose process died is begun again by another;
// a finished one leaves its result and nothing else.
package work

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"
)

// patience is how long a worker may be silent before its job is given to another.
const patience = 6 * time.Second

const (
	// The stream is kept in memory: the jobs themselves stand in the database, and a full disk does not stop it.
	stream   = "RUVEL_JOBS"
	waiting  = "ruvel.jobs"
	stopping = "ruvel.stop."
)

// Queue hands jobs to workers and messages to whoever listens. It is safe for use by many goroutines.
//
// It is told of a job after the job's row is there, and holds nothing but its id: losing one, or handing it out twice, does no harm. A job
// belongs to whoever has claimed its row (store.Claim), and what the queue has lost is put into it again from the rows that nobody does. Each
// id is handed to one worker at a time, in about the order in which they came; one that is not acknowledged within patience is handed out
// again. Messages are told to whoever listens at that moment, each at most once, in the order in which one process sent them: they say that
// something has changed, and who may have missed one asks for it. A message that is too large to be sent says so in its place. Where the
// queue cannot be reached, submitting a job is an error, while announcing is logged: what it would have told of stands in the database.
type Queue struct {
	embedded *server.Server
	conn     *nats.Conn
	jobs     jetstream.JetStream

	mu       sync.Mutex
	consumer jetstream.Consumer
	missed   map[chan struct{}]struct{} // closed when messages may have been missed
}

// Of an outside server that has died or hangs it is known after about two seconds, and another of its cluster is asked.
const (
	between = time.Second // signs of life
	unheard = 2           // so many of them may be missing
	reask   = 250 * time.Millisecond
	// sameTurn is for how long the same turn of a job counts once. What a cluster has lost in spite of all is queued again then.
	sameTurn = 10 * time.Second
	// copies is how many servers of a cluster know what waits: it is still known when one is gone.
	copies = 3
)

// NewQueue connects to a NATS server, or starts one inside the process, reachable
// from nowhere else, that keeps its state in dir.
func NewQueue(ctx context.Context, dir, url string) (*Queue, error) {
	q := &Queue{missed: map[chan struct{}]struct{}{}}
	if err := q.connect(dir, url); err != nil {
		return nil, err
	}
	if err := q.prepare(ctx); err != nil {
		q.Close()
		return nil, fmt.Errorf("prepare the work queue: %w", err)
	}
	return q, nil
}

func (q *Queue) connect(dir, url string) (err error) {
	lost := func(*nats.Conn) { q.miss() }
	options := []nats.Option{
		nats.MaxReconnects(-1), nats.ReconnectWait(reask), nats.ReconnectJitter(reask, reask), nats.PingInterval(between), nats.MaxPingsOutstanding(unheard),
		nats.Timeout(2 * time.Second), nats.DisconnectErrHandler(func(c *nats.Conn, _ error) { lost(c) }), nats.ReconnectHandler(lost),
		nats.ErrorHandler(func(c *nats.Conn, _ *nats.Subscription, err error) {
			if errors.Is(err, nats.ErrSlowConsumer) {
				lost(c)
			}
		}),
	}
	if url != "" { // one, or those of a cluster with commas between; which of them there are is learnt from each
		q.conn, err = nats.Connect(url, options...)
		return err
	}
	if q.embedded, err = server.NewServer(&server.Options{
		ServerName: "ruvel", DontListen: true, JetStream: true, StoreDir: dir, NoSigs: true, NoLog: true, MaxPayload: 8 << 20,
	}); err != nil {
		return fmt.Errorf("start the work queue: %w", err)
	}
	q.embedded.Start()
	if !q.embedded.ReadyForConnections(20 * time.Second) {
		return errors.New("the work queue does not start")
	}
	q.conn, err = nats.Connect("", append(options, nats.InProcessServer(q.embedded))...)
	return err
}

func (q *Queue) prepare(ctx context.Context) (err error) {
	if q.jobs, err = jetstream.New(q.conn); err != nil {
		return err
	}
	// Earlier versions kept the queue in this one, on the disk.
	if err := q.jobs.DeleteStream(ctx, "RUVEL_WORK"); err != nil && !errors.Is(err, jetstream.ErrStreamNotFound) {
		return err
	}
	return q.lay(ctx)
}

// lay makes the stream of jobs, or finds it.
func (q *Queue) lay(ctx context.Context) error {
	config := jetstream.StreamConfig{Name: stream, Subjects: []string{waiting}, Retention: jetstream.WorkQueuePolicy, Storage: jetstream.MemoryStorage, Duplicates: sameTurn}
	if q.conn.ConnectedClusterName() != "" {
		config.Replicas = copies
	}
	_, err := q.jobs.CreateOrUpdateStream(ctx, config)
	if config.Replicas > 1 && isTooFew(err) { // the cluster is smaller
		config.Replicas = 1
		_, err = q.jobs.CreateOrUpdateStream(ctx, config)
	}
	if err != nil {
		return err
	}
	consumer, err := q.jobs.CreateOrUpdateConsumer(ctx, stream, jetstream.ConsumerConfig{Durable: "workers", AckPolicy: jetstream.AckExplicitPolicy, AckWait: patience})
	if err != nil {
		return err
	}
	q.mu.Lock()
	defer q.mu.Unlock()
	q.consumer = consumer
	return nil
}

// isTooFew says whether a cluster has not as many servers as are asked for (codes of JetStream's errors, from its server's list of them).
func isTooFew(err error) bool {
	var e *jetstream.APIError
	return errors.As(err, &e) && (e.ErrorCode == 10005 || e.ErrorCode == 10023 || e.ErrorCode == 10074)
}

// miss ends the lines of all who listen: something may have been told while nothing came through.
func (q *Queue) miss() {
	q.mu.Lock()
	defer q.mu.Unlock()
	for line := range q.missed {
		close(line)
		delete(q.missed, line)
	}
}

// Close ends the connection and the embedded server.
func (q *Queue) Close() {
	if q.conn != nil {
		q.conn.Close()
	}
	if q.embedded != nil {
		q.embedded.Shutdown()
		q.embedded.WaitForShutdown()
	}
}

// Submit queues a job by its id. The same turn of it twice within some seconds counts once.
func (q *Queue) Submit(ctx context.Context, id, turn string) error {
	ctx, cancel := context.WithTimeout(ctx, patience/3)
	defer cancel()
	_, err := q.jobs.Publish(ctx, waiting, []byte(id), jetstream.WithMsgID(id+"/"+turn))
	var e *jetstream.APIError
	if errors.As(err, &e) && e.ErrorCode == 10158 { // the same is just being taken in
		return nil
	}
	return err
}

// Stop asks whoever works on a job to end it.
func (q *Queue) Stop(id string) error { return q.conn.Publish(stopping+id, nil) }

// Run takes jobs one after the other and calls do for each until the context ends. The
// context that do gets ends when the job is to be stopped. What do answers is how long
// later the job is to be handed out again; 0: it need not be.
func (q *Queue) Run(ctx context.Context, do func(ctx context.Context, id string) time.Duration) error {
	worked := time.Now()
	for ctx.Err() == nil {
		q.mu.Lock()
		consumer := q.consumer
		q.mu.Unlock()
		msg, err := consumer.Next(jetstream.FetchMaxWait(time.Second))
		if err != nil {
			if errors.Is(err, nats.ErrTimeout) || errors.Is(err, jetstream.ErrNoMessages) {
				worked = time.Now()
				continue
			}
			if ctx.Err() != nil || q.conn.IsClosed() {
				return nil
			}
			// A queue that is still finding itself after a crash, or a server that is away, comes back.
			slog.Warn("no job could be taken; trying again", "error", err)
			q.mend(ctx, worked)
			continue
		}
		worked = time.Now()
		if err := q.one(ctx, msg, do); err != nil && ctx.Err() == nil {
			slog.Warn("a job could not be handed back to the queue", "error", err) // which will notice by itself
		}
	}
	return nil
}

// cutOff is after how long without the stream of jobs a server is taken to be cut off from its cluster.
const cutOff = 4 * time.Second

// mend makes the stream again, where a cluster has lost it, and asks another server where this one has been of no use for a while: one that
// is cut off from its cluster goes on telling those who are connected to it what they tell each other, and nothing else.
func (q *Queue) mend(ctx context.Context, worked time.Time) {
	short, cancel := context.WithTimeout(ctx, time.Second)
	defer cancel()
	if err := q.lay(short); err != nil && time.Since(worked) > cutOff && q.embedded == nil && q.conn.IsConnected() {
		if err := q.conn.ForceReconnect(); err != nil {
			slog.Warn("no other server of the queue could be asked", "error", err)
		}
	}
	select {
	case <-time.After(time.Second):
	case <-ctx.Done():
	}
}

func (q *Queue) one(ctx context.Context, msg jetstream.Msg, do func(context.Context, string) time.Duration) error {
	id := string(msg.Data())
	jobCtx, cancel := context.WithCancel(ctx)
	defer cancel()
	stop, err := q.conn.Subscribe(stopping+id, func(*nats.Msg) { cancel() })
	if err != nil {
		return err
	}
	defer func() { _ = stop.Unsubscribe() }()
	alive := time.NewTicker(patience / 4)
	defer alive.Stop()
	done := make(chan time.Duration)
	go func() { done <- do(jobCtx, id) }()
	for {
		select {
		case <-alive.C:
			_ = msg.InProgress()
		case again := <-done:
			if again > 0 {
				return msg.NakWithDelay(again)
			}
			return msg.Ack()
		}
	}
}

// Tell sends a message to everybody who listens to a subject now.
func (q *Queue) Tell(subject string, data []byte) error { return q.conn.Publish(subject, data) }

// Listeners is how many subjects are listened to by this process.
func (q *Queue) Listeners() int { return q.conn.NumSubscriptions() }

// Listen receives the messages of some subjects until the context ends, or until some may have been missed, because the line was
// broken or the listener fell far behind; then the channel is closed.
func (q *Queue) Listen(ctx context.Context, subjects ...string) (<-chan []byte, error) {
	in, broken := make(chan *nats.Msg, 256), make(chan struct{})
	q.mu.Lock()
	q.missed[broken] = struct{}{}
	q.mu.Unlock()
	over := func() {
		q.mu.Lock()
		delete(q.missed, broken)
		q.mu.Unlock()
	}
	var subscriptions []*nats.Subscription
	for _, subject := range subjects {
		s, err := q.conn.ChanSubscribe(subject, in)
		if err != nil {
			over()
			return nil, err
		}
		subscriptions = append(subscriptions, s)
	}
	if err := q.conn.FlushTimeout(patience); err != nil {
		over()
		return nil, err
	}
	out := make(chan []byte)
	go func() {
		defer close(out)
		defer func() {
			over()
			for _, s := range subscriptions {
				_ = s.Unsubscribe()
			}
		}()
		for {
			select {
			case msg := <-in:
				select {
				case out <- msg.Data:
				case <-broken:
					return
				case <-ctx.Done():
					return
				}
			case <-broken:
				return
			case <-ctx.Done():
				return
			}
		}
	}()
	return out, nil
}
