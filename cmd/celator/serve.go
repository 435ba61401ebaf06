package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"celator/core/cover"
	"celator/internal/demo"
	"celator/internal/jobs"
	"celator/internal/library"
	"celator/internal/pgcluster"
	"celator/internal/preview"
	"celator/internal/server"
	"celator/internal/store"
	"celator/web"
)

// place is where a running program keeps and finds things.
type place struct {
	data, media, database, logFormat string
	fast                             bool
}

func (p *place) flags(c *cobra.Command) {
	f := c.Flags()
	f.StringVar(&p.data, "data", env("CELATOR_DATA", ".run"), "folder for everything the application keeps (CELATOR_DATA)")
	f.StringVar(&p.media, "media", env("CELATOR_MEDIA", ""), "media folder to bring clips in from; DATA/media where not given (CELATOR_MEDIA)")
	f.StringVar(&p.database, "database", env("CELATOR_DATABASE", ""), "address of a PostgreSQL database; a private server is started where not given (CELATOR_DATABASE)")
	f.StringVar(&p.logFormat, "log", env("CELATOR_LOG", "text"), "format of the log on standard error: text or json (CELATOR_LOG)")
	f.BoolVar(&p.fast, "unsafe-database", os.Getenv("CELATOR_UNSAFE_DATABASE") != "", "private database without safety against power loss, for tests (CELATOR_UNSAFE_DATABASE)")
}

// running is what a server and a worker share.
type running struct {
	log   *slog.Logger
	lib   library.Library
	store *store.Store
	close []func()
}

func (r *running) stop() {
	for i := len(r.close) - 1; i >= 0; i-- {
		r.close[i]()
	}
}

func (p *place) run(ctx context.Context) (r *running, err error) {
	r = &running{}
	defer func() {
		if err != nil {
			r.stop()
		}
	}()
	switch p.logFormat {
	case "text":
		r.log = slog.New(slog.NewTextHandler(os.Stderr, nil))
	case "json":
		r.log = slog.New(slog.NewJSONHandler(os.Stderr, nil))
	default:
		return r, wrongUse{fmt.Errorf("--log is text or json, not %q", p.logFormat)}
	}
	if p.media == "" {
		p.media = filepath.Join(p.data, "media")
	}
	if r.lib, err = library.New(p.media, filepath.Join(p.data, "store")); err != nil {
		return r, err
	}
	url := p.database
	if url == "" {
		pg, err := pgcluster.Start(ctx, filepath.Join(p.data, "pg"), !p.fast)
		if err != nil {
			return r, err
		}
		r.close = append(r.close, pg.Stop)
		url = pg.URL()
		// So that workers of this user find it; the folder keeps others out.
		if err := os.WriteFile(filepath.Join(p.data, "database"), []byte(url), 0o600); err != nil {
			return r, err
		}
		r.close = append(r.close, func() { os.Remove(filepath.Join(p.data, "database")) })
	}
	if r.store, err = store.Open(ctx, url); err != nil {
		return r, err
	}
	r.close = append(r.close, r.store.Close)
	return r, nil
}

func (r *running) work(ctx context.Context, bench jobs.Bench) error {
	j, err := jobs.Start(ctx, r.store, r.lib, r.log, bench)
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
	c := &cobra.Command{Use: "serve", Short: "Serve the application and work its queue"}
	p.flags(c)
	c.Flags().StringVar(&addr, "addr", env("CELATOR_ADDR", "127.0.0.1:8420"), "loopback address to serve on (CELATOR_ADDR)")
	c.Flags().BoolVar(&withDemo, "demo", false, "draw the demo footage and load the demo programme where they are not there")
	c.Flags().BoolVar(&work, "work", true, "work the queue in this process too")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		ctx := cmd.Context()
		r, err := p.run(ctx)
		if err != nil {
			return err
		}
		defer r.stop()
		if withDemo {
			if err := loadDemo(ctx, r); err != nil {
				return err
			}
		}
		frames := preview.NewFrames(384 << 20)
		r.close = append(r.close, frames.Close)
		if work {
			if err := r.work(ctx, frames); err != nil {
				return err
			}
		}
		web, err := web.Files()
		if err != nil {
			return err
		}
		h, err := server.New(ctx, server.Config{Store: r.store, Library: r.lib, Patches: preview.NewPatches(frames), Web: web, Log: r.log})
		if err != nil {
			return err
		}
		return server.Serve(ctx, addr, h, func(url string) {
			r.log.Info("serving", "address", url)
			fmt.Println("Celator is ready at", url)
		})
	}
	return c
}

func workerCommand() *cobra.Command {
	var p place
	c := &cobra.Command{Use: "worker", Short: "Work the queue of a server, on this or another machine with the same storage"}
	p.flags(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		ctx := cmd.Context()
		if p.database == "" {
			b, err := os.ReadFile(filepath.Join(p.data, "database"))
			if err != nil {
				return wrongUse{fmt.Errorf("no server is running on %s; name its database with --database", p.data)}
			}
			p.database = string(b)
		}
		r, err := p.run(ctx)
		if err != nil {
			return err
		}
		defer r.stop()
		if err := r.work(ctx, nil); err != nil {
			return err
		}
		r.log.Info("working")
		<-ctx.Done()
		return nil
	}
	return c
}

func demoCommand() *cobra.Command {
	var dir string
	var only []string
	c := &cobra.Command{Use: "demo", Short: "Draw the demo footage with its ground truth"}
	c.Flags().StringVar(&dir, "out", filepath.Join(env("CELATOR_DATA", ".run"), "media", demoFolder), "folder to draw into")
	c.Flags().StringSliceVar(&only, "only", nil, "names of the shots to draw; all where not given")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		shots, err := demo.Pick(only)
		if err != nil {
			return wrongUse{err}
		}
		return demo.Generate(cmd.Context(), dir, shots, func(s string) { fmt.Fprintln(os.Stderr, s) })
	}
	return c
}

const demoFolder = "tidewrack-week"

// loadDemo draws the demo footage and makes the demo programme, once.
func loadDemo(ctx context.Context, r *running) error {
	dir := filepath.Join(r.lib.Media, demoFolder)
	if err := demo.Generate(ctx, dir, demo.Shots, func(s string) { r.log.Info(s) }); err != nil {
		return err
	}
	all, err := r.store.Programmes(ctx)
	if err != nil {
		return err
	}
	for _, p := range all {
		if p.Name == demo.Programme {
			return nil
		}
	}
	p, err := r.store.AddProgramme(ctx, demo.Programme)
	if err != nil {
		return err
	}
	for _, s := range demo.Shots {
		src := store.Source{ID: store.NewID(), Programme: p.ID, Name: s.Title, Place: "media", Path: filepath.Join(demoFolder, s.Name, "clip.mp4")}
		_, shot, err := server.AddSource(ctx, r.store, r.lib, src)
		if err != nil {
			return err
		}
		item, err := r.store.AddItem(ctx, shot.ID, s.Clearance())
		if err != nil {
			return err
		}
		truth, err := demo.ReadTruth(filepath.Join(dir, s.Name))
		if err != nil {
			return err
		}
		c, ok := s.Cover(truth)
		if !ok {
			continue
		}
		c.Item = item.ID
		_, err = r.store.Edit(ctx, shot.ID, 0, "Demo", func(d *cover.Document) (*cover.Document, string, error) {
			return d.Apply(cover.Command{Do: "add", New: &c})
		})
		if err != nil {
			return err
		}
	}
	return nil
}
