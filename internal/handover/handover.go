// Package handover gives files to a delivery intake: over HTTP by resumable upload (tus 1.0), or by a watched
// folder, and waits for its receipt.
package handover

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"celator/internal/fault"
	"celator/internal/intake"
)

// ErrRefused marks what the intake says no to. Another try would end alike.
var ErrRefused = errors.New("the intake refused it")

func refused(why string) error { return fmt.Errorf("%w: %s", ErrRefused, why) }

// File is what is handed over.
type File struct {
	Path   string // where it lies
	Name   string // what the intake knows it by
	SHA256 string
}

// Progress is told how many bytes are there, and, over HTTP, at which address of the intake the upload is, with
// which it can be gone on with. It reports whether that is still wanted.
type Progress func(sent int64, upload string) (wanted bool)

// ErrUnwanted says that Progress wanted no more.
var ErrUnwanted = errors.New("it is not wanted any more")

// Check says what is wrong with the address of an intake: http, https, or the path of a folder.
func Check(address string) error {
	if filepath.IsAbs(address) {
		return nil
	}
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
		return fmt.Errorf("an intake is an http address or the path of a folder, not %q", address)
	}
	return nil
}

const (
	// looking is how often a receipt is asked for.
	looking = 300 * time.Millisecond
	// silent is how long an intake may take nothing, or say nothing.
	silent = time.Minute
)

// Send hands a file over and returns the intake's receipt, which acknowledges it. upload is where an
// earlier try had come to, or empty. ErrRefused says why the intake does not want it; what else fails is the
// machine's, or the network's.
func Send(ctx context.Context, address, upload string, f File, tell Progress) (intake.Receipt, error) {
	if filepath.IsAbs(address) {
		return drop(ctx, address, f, tell)
	}
	c := client{http.Client{
		// What an intake answers is read from it alone.
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}, strings.TrimSuffix(address, "/")}
	return c.send(ctx, upload, f, tell)
}

// drop puts a file into a watched folder; the checksum beside it comes last.
func drop(ctx context.Context, dir string, f File, tell Progress) (intake.Receipt, error) {
	to := filepath.Join(dir, f.Name)
	var r intake.Receipt
	if filepath.Base(f.Name) != f.Name || strings.HasPrefix(f.Name, ".") {
		return r, refused("its name is none of a file")
	}
	if b, err := os.ReadFile(to + intake.SumEnding); err == nil {
		if sum, _, _ := strings.Cut(string(b), " "); !strings.EqualFold(sum, f.SHA256) {
			return r, fault.Machinef("another file of that name still waits in the folder")
		} // else it lies there already
	} else {
		os.Remove(to + intake.ReceiptEnding)
		if err := copyTo(ctx, to, f.Path, tell); err != nil {
			return r, err
		}
		if err := os.WriteFile(to+".part", []byte(f.SHA256+"  "+f.Name+"\n"), 0o644); err != nil {
			return r, fault.Machine(err)
		}
		if err := os.Rename(to+".part", to+intake.SumEnding); err != nil {
			return r, fault.Machine(err)
		}
	}
	return await(ctx, f, tell, func() (intake.Receipt, error) {
		r, err := intake.ReadReceipt(to + intake.ReceiptEnding)
		if errors.Is(err, os.ErrNotExist) {
			return intake.Receipt{State: intake.Checking}, nil
		}
		return r, err
	})
}

func copyTo(ctx context.Context, to, from string, tell Progress) error {
	src, err := os.Open(from)
	if err != nil {
		return err
	}
	defer src.Close()
	out, err := os.Create(to + ".part")
	if err != nil {
		return fault.Machine(err)
	}
	defer os.Remove(to + ".part")
	_, err = io.Copy(out, &told{ctx: ctx, from: src, tell: func(n int64) bool { return tell(n, "") }})
	if e := out.Close(); err == nil {
		err = e
	}
	if err == nil {
		err = os.Rename(to+".part", to)
	}
	if err != nil && !errors.Is(err, ErrUnwanted) && ctx.Err() == nil {
		err = fault.Machine(err)
	}
	return err
}

// await asks for a receipt until the intake has made up its mind.
func await(ctx context.Context, f File, tell Progress, ask func() (intake.Receipt, error)) (intake.Receipt, error) {
	st, err := os.Stat(f.Path)
	if err != nil {
		return intake.Receipt{}, err
	}
	for begun := time.Now(); ; {
		r, err := ask()
		switch {
		case ctx.Err() != nil:
			return r, ctx.Err()
		case err != nil && time.Since(begun) > silent:
			return r, fault.Machine(err)
		case r.State == intake.Refused:
			return r, refused(r.Reason)
		case r.State == intake.Acknowledged && !strings.EqualFold(r.SHA256, f.SHA256):
			return r, refused(fmt.Sprintf("it acknowledged a file with the checksum %s, not %s", r.SHA256, f.SHA256))
		case r.State == intake.Acknowledged:
			return r, nil
		}
		if err == nil {
			begun = time.Now()
		}
		if !tell(st.Size(), "") {
			return r, ErrUnwanted
		}
		select {
		case <-ctx.Done():
		case <-time.After(looking):
		}
	}
}

// told tells how much was read of a file.
type told struct {
	ctx  context.Context
	from io.Reader
	n    int64
	tell func(n int64) bool
}

func (t *told) Read(b []byte) (int, error) {
	if t.ctx.Err() != nil {
		return 0, t.ctx.Err()
	}
	n, err := t.from.Read(b)
	t.n += int64(n)
	if !t.tell(t.n) {
		return n, ErrUnwanted
	}
	return n, err
}

// client speaks with an intake.
type client struct {
	http.Client
	address string
}

// do asks the intake; that it cannot be reached is the machine's fault.
func (c *client) do(ctx context.Context, method, address string, body io.Reader, header map[string]string,
) (*http.Response, error) {
	req, err := http.NewRequestWithContext(ctx, method, address, body)
	if err != nil {
		return nil, err
	}
	req.Header.Set("Tus-Resumable", "1.0.0")
	for k, v := range header {
		req.Header.Set(k, v)
	}
	res, err := c.Do(req)
	if errors.Is(err, ErrUnwanted) {
		return nil, ErrUnwanted
	}
	if err != nil {
		// Its words alone: what cannot be reached is the intake, not what others look for in an error of the net.
		return nil, fault.Machinef("the intake cannot be reached: %v", err)
	}
	return res, nil
}

// said turns an answer that is not the wanted one into an error: what is wrong with the file is refused, all
// else passes.
func said(res *http.Response) error {
	b, _ := io.ReadAll(io.LimitReader(res.Body, 4096))
	words := strings.TrimSpace(strings.TrimPrefix(string(b), "ERR_REFUSED: "))
	switch res.StatusCode {
	case http.StatusUnprocessableEntity, http.StatusRequestEntityTooLarge, http.StatusForbidden,
		http.StatusUnauthorized, http.StatusUnsupportedMediaType:
		return refused(words)
	}
	return fault.Machinef("the intake answers %s: %s", res.Status, words)
}

func (c *client) send(ctx context.Context, upload string, f File, tell Progress) (intake.Receipt, error) {
	file, err := os.Open(f.Path)
	if err != nil {
		return intake.Receipt{}, err
	}
	defer file.Close()
	st, err := file.Stat()
	if err != nil {
		return intake.Receipt{}, err
	}
	offset := int64(-1)
	if upload != "" && strings.HasPrefix(upload, c.address+"/") {
		if r, err := c.receipt(ctx, upload); err == nil && r.State != intake.Checking {
			offset = st.Size() // it arrived whole, and was judged
		} else if offset, err = c.offset(ctx, upload); err != nil {
			return intake.Receipt{}, err
		}
	}
	if offset < 0 { // the first try, or the intake has forgotten it
		if upload, err = c.create(ctx, f, st.Size()); err != nil {
			return intake.Receipt{}, err
		}
		offset = 0
	}
	if !tell(offset, upload) {
		return intake.Receipt{}, ErrUnwanted
	}
	if offset < st.Size() {
		if err := c.upload(ctx, upload, file, offset, tell); err != nil {
			return intake.Receipt{}, err
		}
	}
	return await(ctx, f, func(n int64, _ string) bool { return tell(n, upload) }, func() (intake.Receipt, error) {
		return c.receipt(ctx, upload)
	})
}

// create announces a file and returns the address of its upload.
func (c *client) create(ctx context.Context, f File, size int64) (string, error) {
	ctx, cancel := context.WithTimeout(ctx, silent)
	defer cancel()
	code := func(s string) string { return base64.StdEncoding.EncodeToString([]byte(s)) }
	res, err := c.do(ctx, http.MethodPost, c.address+"/files/", nil, map[string]string{
		"Upload-Length":   strconv.FormatInt(size, 10),
		"Upload-Metadata": intake.MetaName + " " + code(f.Name) + "," + intake.MetaSum + " " + code(f.SHA256),
	})
	if err != nil {
		return "", err
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusCreated {
		return "", said(res)
	}
	to, err := res.Location()
	if err != nil {
		return "", fault.Machine(err)
	}
	// Its path alone, for nothing is sent to another place than was agreed.
	base, err := url.Parse(c.address)
	if err != nil {
		return "", err
	}
	base.Path, base.RawQuery = to.Path, to.RawQuery
	return base.String(), nil
}

// offset is how much of an upload has arrived; -1 says that the intake does not know it.
func (c *client) offset(ctx context.Context, upload string) (int64, error) {
	ctx, cancel := context.WithTimeout(ctx, silent)
	defer cancel()
	res, err := c.do(ctx, http.MethodHead, upload, nil, nil)
	if err != nil {
		return 0, err
	}
	defer res.Body.Close()
	switch {
	case res.StatusCode == http.StatusNotFound || res.StatusCode == http.StatusGone:
		return -1, nil
	case res.StatusCode >= 300:
		return 0, said(res)
	}
	n, err := strconv.ParseInt(res.Header.Get("Upload-Offset"), 10, 64)
	if err != nil {
		return 0, fault.Machine(err)
	}
	return n, nil
}

// upload sends what is missing of a file. It ends when nothing is taken for long.
func (c *client) upload(ctx context.Context, upload string, file *os.File, offset int64, tell Progress) error {
	if _, err := file.Seek(offset, io.SeekStart); err != nil {
		return err
	}
	work, cancel := context.WithCancel(ctx)
	defer cancel()
	watch := time.AfterFunc(silent, cancel)
	defer watch.Stop()
	body := &told{ctx: work, from: file, n: offset, tell: func(n int64) bool {
		watch.Reset(silent)
		return tell(n, upload)
	}}
	res, err := c.do(work, http.MethodPatch, upload, body, map[string]string{
		"Upload-Offset": strconv.FormatInt(offset, 10), "Content-Type": "application/offset+octet-stream",
	})
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusNoContent {
		return said(res)
	}
	return nil
}

func (c *client) receipt(ctx context.Context, upload string) (r intake.Receipt, err error) {
	ctx, cancel := context.WithTimeout(ctx, silent)
	defer cancel()
	res, err := c.do(ctx, http.MethodGet, c.address+"/receipts/"+upload[strings.LastIndex(upload, "/")+1:], nil, nil)
	if err != nil {
		return r, err
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusOK {
		return r, said(res)
	}
	err = json.NewDecoder(io.LimitReader(res.Body, 64<<10)).Decode(&r)
	return r, fault.Machine(err)
}
