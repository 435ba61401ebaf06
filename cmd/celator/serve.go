package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/spf13/cobra"

	"celator/internal/budget"
	"celator/internal/decode"
	"celator/internal/demo"
	"celator/internal/jobs"
	"celator/internal/pgcluster"
	"celator/internal/preview"
	"celator/internal/reference"
	"celator/internal/server"
	"celator/internal/storage"
	"celator/internal/store"
	"celator/internal/sweep"
	"celator/web"
)

// place is where a running program keeps and finds things, and what it may take.
type place struct {
	data, media, database, logFormat string
	fast, chatty, search             bool
	memory, connections, checkAfter  int
}

func (p *place) flags(c *cobra.Command) {
	f := c.Flags()
	f.StringVar(&p.data, "data", env("CELATOR_DATA", ".run"), "folder for everything the application keeps (CELATOR_DATA)")
	f.StringVar(&p.media, "media", env("CELATOR_MEDIA", ""),
		"media folder to bring clips in from; DATA/media where not given (CELATOR_MEDIA)")
	f.StringVar(&p.database, "database", env("CELATOR_DATABASE", ""),
		"address of a PostgreSQL database; a private server is started where not given (CELATOR_DATABASE)")
	f.StringVar(&p.logFormat, "log", env("CELATOR_LOG", "text"),
		"format of the log on standard error: text or json (CELATOR_LOG)")
	f.BoolVar(&p.chatty, "log-all", false, "log every request and job, not only those that fail")
	f.BoolVar(&p.fast, "unsafe-database", os.Getenv("CELATOR_UNSAFE_DATABASE") != "",
		"private database without safety against power loss, for tests (CELATOR_UNSAFE_DATABASE)")
	f.IntVar(&p.memory, "memory", number("CELATOR_MEMORY", budget.Default>>20),
		"memory that this process and those it starts may take, the database's aside, MB (CELATOR_MEMORY)")
	f.IntVar(&p.connections, "connections", number("CELATOR_CONNECTIONS", store.DefaultConnections),
		"connections to the database (CELATOR_CONNECTIONS)")
	f.IntVar(&p.checkAfter, "check-after", number("CELATOR_CHECK_AFTER", int(store.DefaultCheckAfter/time.Second)),
		"seconds without a change after which a shot is checked by itself (CELATOR_CHECK_AFTER)")
	f.BoolVar(&p.search, "find", yes("CELATOR_FIND", true),
		"look through every source that is brought in for text, plates and faces (CELATOR_FIND)")
}

// yes is what an environment variable of a switch says.
func yes(name string, otherwise bool) bool {
	if v, err := strconv.ParseBool(os.Getenv(name)); err == nil {
		return v
	}
	return otherwise
}

func number(name string, otherwise int) int {
	if n, err := strconv.Atoi(os.Getenv(name)); err == nil {
		return n
	}
	return otherwise
}

// running is what a server and a worker share.
type running struct {
	log     *slog.Logger
	lib     storage.Library
	store   *store.Store
	budget  *budget.Budget
	metrics *prometheus.Registry
	close   []func()
}

func (r *running) stop() {
	for i := len(r.close) - 1; i >= 0; i-- {
		r.close[i]()
	}
}

// run opens what both need. address, where it is given, tells where the database is; else
// a private one is started.
func (p *place) run(ctx context.Context, address func() (string, error)) (r *running, err error) {
	r = &running{metrics: prometheus.NewRegistry()}
	defer func() {
		if err != nil {
			r.stop()
		}
	}()
	r.metrics.MustRegister(collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	level := &slog.HandlerOptions{}
	if p.chatty {
		level.Level = slog.LevelDebug
	}
	switch p.logFormat {
	case "text":
		r.log = slog.New(slog.NewTextHandler(os.Stderr, level))
	case "json":
		r.log = slog.New(slog.NewJSONHandler(os.Stderr, level))
	default:
		return r, wrongUse{fmt.Errorf("--log is text or json, not %q", p.logFormat)}
	}
	slog.SetDefault(r.log)
	if int64(p.memory)<<20 < budget.Least {
		return r, wrongUse{fmt.Errorf("--memory is at least %d MB", budget.Least>>20)}
	}
	r.budget = budget.New(int64(p.memory) << 20)
	syscall.Umask(0o077) // what is kept is this user's alone, whoever writes it
	if p.media == "" {
		p.media = filepath.Join(p.data, "media")
	}
	if r.lib, err = storage.New(p.media, filepath.Join(p.data, "store")); err != nil {
		return r, err
	}
	if address == nil {
		if err := pgcluster.Admit(p.data); err != nil {
			return r, err
		}
		file := filepath.Join(p.data, "database")
		// So that workers of this user find it; the folder keeps others out.
		write := func(url string) error { return os.WriteFile(file, []byte(url), 0o600) }
		pg, err := pgcluster.Start(ctx, pgcluster.Config{
			Dir: filepath.Join(p.data, "pg"), Durable: !p.fast, Log: r.log, Moved: func(url string) {
				if err := write(url); err != nil {
					r.log.Error("workers cannot be told where the database is", "error", err)
				}
			},
		})
		if err != nil {
			return r, err
		}
		r.close = append(r.close, pg.Stop)
		if err := write(pg.URL()); err != nil {
			return r, err
		}
		r.close = append(r.close, func() { os.Remove(file) })
		address = func() (string, error) {
			url, err := pg.Address()
			if err != nil {
				err = store.Away(err)
			}
			return url, err
		}
	}
	if r.store, err = store.Patiently(ctx, func() (*store.Store, error) {
		return store.Open(ctx, store.Config{
			Address: address, Connections: p.connections, CheckAfter: time.Duration(p.checkAfter) * time.Second,
			FindImported: p.search,
		})
	}); err != nil {
		return r, err
	}
	r.close = append(r.close, r.store.Close)
	return r, nil
}

func (r *running) work(ctx context.Context, bench jobs.Bench, refs *reference.Maker) error {
	j, err := store.Patiently(ctx, func() (*jobs.Runner, error) {
		return jobs.Start(ctx, jobs.Config{
			Store: r.store, Library: r.lib, Log: r.log, Bench: bench, Budget: r.budget,
			References: refs, Metrics: r.metrics,
		})
	})
	if err != nil {
		return err
	}
	r.close = append(r.close, j.Stop)
	return nil
}

func serveCommand() *cobra.Command {
	var p place
	var addr string
	var withDemo, work bool
	var disk int
	var intakes []string
	c := &cobra.Command{Use: "serve", Short: "Serve the application and work its queue"}
	p.flags(c)
	c.Flags().StringVar(&addr, "addr", env("CELATOR_ADDR", "127.0.0.1:8420"),
		"loopback address to serve on (CELATOR_ADDR)")
	c.Flags().BoolVar(&withDemo, "demo", false,
		"draw the demo footage and load the demo programme where they are not there")
	c.Flags().BoolVar(&work, "work", true, "work the queue in this process too")
	c.Flags().IntVar(&disk, "frame-cache", number("CELATOR_FRAME_CACHE", 8<<10),
		"decoded frames that are kept on the disk, at most, MB; 0 keeps none (CELATOR_FRAME_CACHE)")
	c.Flags().StringArrayVar(&intakes, "intake", strings.FieldsFunc(os.Getenv("CELATOR_INTAKES"),
		func(c rune) bool { return c == '\n' }), "NAME=ADDRESS of a delivery intake that finished files may be handed over "+
		"to: http, or the path of a watched folder; may be repeated (CELATOR_INTAKES, one a line)")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		ctx := cmd.Context()
		known, err := readIntakes(intakes)
		if err != nil {
			return wrongUse{err}
		}
		// The address and the folder first: what is somebody else's is not touched.
		l, err := server.Listen(addr)
		if err != nil {
			return err
		}
		defer l.Close()
		unlock, err := lockFolder(p.data, addr)
		if err != nil {
			return err
		}
		defer unlock()
		r, err := p.run(ctx, p.given())
		if err != nil {
			return err
		}
		defer r.stop()
		if withDemo {
			if known, err = p.loadDemo(ctx, r, known); err != nil {
				return err
			}
		}
		var cache *decode.Disk
		if disk > 0 {
			if cache, err = decode.NewDisk(filepath.Join(r.lib.Store, "frames"), int64(disk)<<20, r.lib.Free); err != nil {
				return err
			}
		}
		frames := decode.NewFrames(r.budget, cache)
		r.close = append(r.close, frames.Close)
		patches := preview.NewPatches(r.budget, frames)
		if work {
			if err := r.work(ctx, frames, patches.References); err != nil {
				return err
			}
			go sweep.Often(ctx, r.store.ForReads(), r.lib, r.log)
		}
		web, err := web.Files()
		if err != nil {
			return err
		}
		beside := new(sync.WaitGroup)
		defer beside.Wait()
		h, err := server.New(ctx, server.Config{
			Store: r.store, Library: r.lib, Patches: patches, Budget: r.budget,
			Web: web, Log: r.log, Metrics: r.metrics, Intakes: known, Beside: beside,
		})
		if err != nil {
			return err
		}
		url := "http://" + l.Addr().String()
		r.log.Info("serving", "address", url)
		fmt.Println("Celator is ready at", url)
		return server.Serve(ctx, l, h)
	}
	return c
}

// given is where a database is that somebody else runs; nil where none was named.
func (p *place) given() func() (string, error) {
	if p.database == "" {
		return nil
	}
	return store.At(p.database)
}

func workerCommand() *cobra.Command {
	var p place
	c := &cobra.Command{
		Use:   "worker",
		Short: "Work the queue of a server, on this or another machine with the same storage",
	}
	p.flags(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		ctx := cmd.Context()
		address := store.At(p.database)
		if p.database == "" {
			file := filepath.Join(p.data, "database")
			if _, err := os.Stat(file); err != nil {
				return wrongUse{fmt.Errorf("no server is running on %s; name its database with --database", p.data)}
			}
			address = func() (string, error) { // read again each time: the server may come back elsewhere
				b, err := os.ReadFile(file)
				if err != nil {
					return "", store.Away(err)
				}
				return string(b), nil
			}
		}
		r, err := p.run(ctx, address)
		if err != nil {
			return err
		}
		defer r.stop()
		if err := r.work(ctx, nil, nil); err != nil {
			return err
		}
		r.log.Info("working")
		<-ctx.Done()
		return nil
	}
	return c
}

func sweepCommand() *cobra.Command {
	var p place
	var dry bool
	c := &cobra.Command{Use: "sweep", Short: "Take away what nothing uses any more, as the server does every hour"}
	p.flags(c)
	c.Flags().BoolVar(&dry, "dry-run", false, "only say what would be taken away")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		address := store.At(p.database)
		if p.database == "" {
			b, err := os.ReadFile(filepath.Join(p.data, "database"))
			if err != nil {
				return wrongUse{fmt.Errorf("no server is running on %s; name its database with --database", p.data)}
			}
			address = store.At(string(b))
		}
		r, err := p.run(cmd.Context(), address)
		if err != nil {
			return err
		}
		defer r.stop()
		done, err := sweep.Run(cmd.Context(), r.store.ForReads(), r.lib, sweep.Rules, dry, time.Now())
		for _, d := range done {
			fmt.Printf("%s\t%s\t%d\t%s\n", d.Rule, d.What, d.Bytes, d.Why)
		}
		return err
	}
	return c
}

func demoCommand() *cobra.Command {
	var dir string
	var only []string
	c := &cobra.Command{Use: "demo", Short: "Draw the demo footage with its ground truth"}
	c.Flags().StringVar(&dir, "out", filepath.Join(env("CELATOR_DATA", ".run"), "media", jobs.DemoFolder),
		"folder to draw into")
	c.Flags().StringSliceVar(&only, "only", nil, "names of the shots to draw; all where not given")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		shots, masters, err := demo.Pick(only)
		if err != nil {
			return wrongUse{err}
		}
		ctx := cmd.Context()
		if err := demo.Generate(ctx, dir, shots, func(s string) { fmt.Fprintln(os.Stderr, s) }); err != nil {
			return err
		}
		for _, m := range masters {
			if m.Drawn(dir) {
				continue
			}
			fmt.Fprintf(os.Stderr, "putting %s together (%d frames)\n", m.Title, m.Frames())
			if err := m.Draw(ctx, dir, nil); err != nil {
				return err
			}
		}
		return nil
	}
	return c
}

// loadDemo makes the demo programme, once; its footage is drawn by the queue. Stopped in the middle, the
// next start makes what is missing.
// Where no intake is known, it runs one, and returns those that are known then.
func (p *place) loadDemo(ctx context.Context, r *running, known []server.Intake) ([]server.Intake, error) {
	mark := filepath.Join(r.lib.Store, "demo-loaded") // afterwards it is people's own
	_, err := os.Stat(mark)
	if err := jobs.LoadDemo(ctx, r.store, r.lib, err == nil); err != nil {
		return nil, err
	}
	if err := os.WriteFile(mark, nil, 0o600); err != nil || len(known) > 0 {
		return known, err
	}
	one, err := standIn(ctx, filepath.Join(p.data, "intake"), r.log)
	return []server.Intake{one}, err
}
