package intake

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/tus/tusd/v2/pkg/filelocker"
	"github.com/tus/tusd/v2/pkg/filestore"
	tus "github.com/tus/tusd/v2/pkg/handler"
	"golang.org/x/exp/slog"
)

// Names of the metadata of an upload, as clients of tus usually have them.
const (
	MetaName = "filename"
	MetaSum  = "sha256"
)

var (
	sums = regexp.MustCompile(`^[0-9a-fA-F]{64}$`)
	ids  = regexp.MustCompile(`^[0-9a-fA-F]{32}$`)
)

// Handler answers on /files/ (tus) and /receipts/ID. Uploads that were whole when the intake was ended are
// judged now.
func (in *Intake) Handler(ctx context.Context) (http.Handler, error) {
	dir := filepath.Join(in.dir, "uploads")
	files := filestore.New(dir)
	files.DirModePerm, files.FileModePerm = 0o700, 0o600
	c := tus.NewStoreComposer()
	c.UseCore(files)
	c.UseTerminater(files)
	filelocker.New(dir).UseIn(c)
	h, err := tus.NewHandler(tus.Config{
		StoreComposer: c, BasePath: "/files/", MaxSize: in.rules.Largest, DisableDownload: true,
		Logger: slog.New(slog.NewTextHandler(io.Discard, nil)), Cors: &tus.CorsConfig{Disable: true},
		NotifyCompleteUploads: true,
		PreUploadCreateCallback: func(e tus.HookEvent) (tus.HTTPResponse, tus.FileInfoChanges, error) {
			err := in.rules.Takes(e.Upload.MetaData[MetaName], e.Upload.Size)
			if err == nil && !sums.MatchString(e.Upload.MetaData[MetaSum]) {
				err = refused("no SHA-256 was announced")
			}
			if err != nil {
				words := strings.TrimPrefix(err.Error(), ErrRefused.Error()+": ")
				err = tus.NewError("ERR_REFUSED", words, http.StatusUnprocessableEntity)
			}
			return tus.HTTPResponse{}, tus.FileInfoChanges{}, err
		},
	})
	if err != nil {
		return nil, err
	}
	go func() {
		in.leftover(ctx, files)
		for {
			select {
			case <-ctx.Done():
				return
			case e := <-h.CompleteUploads:
				go in.arrived(ctx, e.Upload) // whose client waits for this to be taken
			}
		}
	}()
	r := chi.NewRouter()
	r.Get("/receipts/{id}", in.receipt)
	r.Handle("/files/*", http.StripPrefix("/files/", h))
	r.Handle("/files", http.StripPrefix("/files", h))
	return r, nil
}

// leftover judges what arrived whole before the intake was ended.
func (in *Intake) leftover(ctx context.Context, files filestore.FileStore) {
	infos, _ := filepath.Glob(filepath.Join(in.dir, "uploads", "*.info"))
	for _, path := range infos {
		u, err := files.GetUpload(ctx, strings.TrimSuffix(filepath.Base(path), ".info"))
		if err != nil {
			continue
		}
		if info, err := u.GetInfo(ctx); err == nil && info.Offset == info.Size {
			in.arrived(ctx, info)
		}
	}
}

// arrived judges an upload that is whole, again until the machine lets it.
func (in *Intake) arrived(ctx context.Context, info tus.FileInfo) {
	path := filepath.Join(in.dir, "uploads", info.ID)
	for {
		r, err := in.judge(ctx, path, info.MetaData[MetaName], info.MetaData[MetaSum])
		if err == nil {
			err = write(in.receiptFile(info.ID), r)
		}
		if err == nil || errors.Is(err, os.ErrNotExist) {
			os.Remove(path + ".info")
			return
		}
		in.log.Warn("an upload cannot be judged yet", "name", info.MetaData[MetaName], "error", err)
		select {
		case <-ctx.Done():
			return
		case <-time.After(looking):
		}
	}
}

func (in *Intake) receiptFile(id string) string {
	return filepath.Join(in.dir, "receipts", id+".json")
}

// receipt answers with what became of an upload: 404 where there is none.
func (in *Intake) receipt(w http.ResponseWriter, r *http.Request) {
	id := chi.URLParam(r, "id")
	if !ids.MatchString(id) {
		http.Error(w, "there is no such upload", http.StatusNotFound)
		return
	}
	rec, err := ReadReceipt(in.receiptFile(id))
	if errors.Is(err, os.ErrNotExist) {
		if _, e := os.Stat(filepath.Join(in.dir, "uploads", id+".info")); e != nil {
			http.Error(w, "there is no such upload", http.StatusNotFound)
			return
		}
		rec, err = Receipt{State: Checking}, nil
	}
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	json.NewEncoder(w).Encode(rec)
}
