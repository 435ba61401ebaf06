package main

import (
	"bufio"
	"fmt"
	"io/fs"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"celator/internal/await"
	"celator/internal/handover"
	"celator/internal/intake"
	"celator/internal/storage"
)

// program is a server that runs.
type program struct {
	cmd  *exec.Cmd
	url  string
	data string
}

func freeAddr(t *testing.T) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	return l.Addr().String()
}

func serve(t *testing.T, data string, more ...string) *program {
	t.Helper()
	p := &program{cmd: exec.Command(os.Args[0]), data: data}
	addr := freeAddr(t)
	p.cmd.Env = append(os.Environ(), "CELATOR_TEST_MAIN="+
		strings.Join(append([]string{"serve", "--data", data, "--addr", addr}, more...), " "))
	out, err := p.cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	var errs strings.Builder
	p.cmd.Stderr = &errs
	if err := p.cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { p.cmd.Process.Signal(syscall.SIGTERM); p.cmd.Wait() })
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil || !strings.HasPrefix(line, "Celator is ready at ") {
		t.Fatalf("%q, %v: %s", line, err, errs.String())
	}
	p.url = strings.TrimSpace(strings.TrimPrefix(line, "Celator is ready at "))
	return p
}

func (p *program) get(path string) (int, error) {
	r, err := http.Get(p.url + path)
	if err != nil {
		return 0, err
	}
	r.Body.Close()
	return r.StatusCode, nil
}

// A second server on the same folder, or on the same address, says who is there, touches
// nothing and goes; the first one does not notice. What both keep is their user's alone.
// A worker that was started before its server came back on another port finds it.
//
// Long: one scenario, told from its beginning to its end.
func TestServe(t *testing.T) {
	if testing.Short() {
		t.Skip()
	}
	dir := t.TempDir()
	os.Chmod(filepath.Dir(dir), 0o755)
	data := filepath.Join(dir, "data")
	p := serve(t, data)
	ready := func(p *program) {
		t.Helper()
		await.True(t, "what is ready", func() bool {
			code, err := p.get("/readyz")
			return err == nil && code == 200
		})
	}
	ready(p)
	pid, err := os.ReadFile(filepath.Join(data, "pg", "data", "postmaster.pid"))
	if err != nil {
		t.Fatal(err)
	}
	if code, _, errs := run(t, "", "serve", "--data", data, "--addr", freeAddr(t)); code != 1 ||
		!strings.Contains(errs, fmt.Sprint("process ", p.cmd.Process.Pid)) {
		t.Errorf("a second one on the folder: %d %s", code, errs)
	}
	other := filepath.Join(dir, "other")
	if code, _, errs := run(t, "", "serve", "--data", other, "--addr",
		strings.TrimPrefix(p.url, "http://")); code != 1 || !strings.Contains(errs, "in use") {
		t.Errorf("a second one on the address: %d %s", code, errs)
	}
	if _, err := os.Stat(other); !os.IsNotExist(err) {
		t.Errorf("it made a folder: %v", err)
	}
	if now, err := os.ReadFile(filepath.Join(data, "pg", "data", "postmaster.pid")); err != nil ||
		string(now) != string(pid) {
		t.Errorf("the first one's database is another: %v", err)
	}
	ready(p)
	filepath.WalkDir(data, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return nil // the database's own
		}
		if i, err := d.Info(); err == nil && i.Mode().Perm()&0o077 != 0 && !(path == data && i.Mode().Perm() == 0o710) {
			t.Errorf("%s is %v", path, i.Mode())
		}
		return nil
	})

	worker := exec.Command(os.Args[0])
	worker.Env = append(os.Environ(), "CELATOR_TEST_MAIN=worker --data "+data)
	var said strings.Builder
	worker.Stderr = &said
	defer func() {
		if t.Failed() {
			t.Log(said.String())
		}
	}()
	if err := worker.Start(); err != nil {
		t.Fatal(err)
	}
	defer func() { worker.Process.Kill(); worker.Wait() }()
	alive := func() bool { // it said so to the database that runs now
		out, err := exec.Command("sh", "-c", fmt.Sprintf(
			`psql -X -A -t -d "$(cat %s)" -c "SELECT count(*) FROM worker WHERE id LIKE '%%-%d-%%'
				AND seen > pg_postmaster_start_time()"`, filepath.Join(data, "database"), worker.Process.Pid)).Output()
		return err == nil && strings.TrimSpace(string(out)) == "1"
	}
	await.True(t, "the worker", alive)
	p.cmd.Process.Kill()
	p.cmd.Wait()
	await.True(t, "the old database to go", func() bool {
		_, err := os.Stat(filepath.Join(data, "pg", "data", "postmaster.pid"))
		return os.IsNotExist(err)
	})
	os.Remove(filepath.Join(data, "pg", "port")) // somebody else has it now
	q := serve(t, data)
	ready(q)
	await.True(t, "the worker at the new address", alive)
}

// The stand-in intake is a program of its own: killed and started again it still knows what it took; a server is told
// of intakes when it is started, and of wrong ones nothing is made.
func TestIntakeCommand(t *testing.T) {
	dir := t.TempDir()
	film := filepath.Join(dir, "film.mov")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc2=size=64x36:duration=1", "-c:v",
		"mjpeg", film).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	sha, size, err := storage.Digest(film)
	if err != nil {
		t.Fatal(err)
	}
	addr := freeAddr(t)
	start := func() *exec.Cmd {
		t.Helper()
		cmd := exec.Command(os.Args[0])
		cmd.Env = append(os.Environ(), "CELATOR_TEST_MAIN=intake --dir "+dir+"/in --addr "+addr)
		out, err := cmd.StdoutPipe()
		if err == nil {
			err = cmd.Start()
		}
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { cmd.Process.Kill(); cmd.Wait() })
		if line, err := bufio.NewReader(out).ReadString('\n'); err != nil || !strings.HasPrefix(line, intakeReady+addr) {
			t.Fatalf("%q, %v", line, err)
		}
		return cmd
	}
	first := start()
	f := handover.File{Path: film, Name: "film.mov", SHA256: sha}
	var upload string
	send := func() (intake.Receipt, error) {
		return handover.Send(t.Context(), "http://"+addr, upload, f, func(_ int64, at string) bool {
			upload = at
			return true
		})
	}
	if r, err := send(); err != nil || r.State != intake.Acknowledged || r.Size != size {
		t.Fatalf("%+v, %v", r, err)
	}
	first.Process.Kill()
	first.Wait()
	start()
	if r, err := send(); err != nil || r.SHA256 != sha { // of the upload that it acknowledged
		t.Errorf("after a kill: %+v, %v", r, err)
	}
	for _, wrong := range []string{"nameless", "=http://x", "A=ftp://x", "A=folder"} {
		code, _, said := run(t, "", "serve", "--data", dir, "--intake", wrong)
		if code != 2 || !strings.Contains(said, "intake") {
			t.Errorf("--intake %s: %d, %s", wrong, code, said)
		}
	}
	if code, _, _ := run(t, "", "intake", "--dir", dir, "--names", "("); code != 2 {
		t.Errorf("a wrong expression: %d", code)
	}
}
