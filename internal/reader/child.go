package reader

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"

	ort "github.com/yalue/onnxruntime_go"
	"golang.org/x/sys/unix"

	"celator/core/reading"
	"celator/internal/confine"
)

func init() { confine.Prepare(role, prepare) }

// gentle is how far a child gives way, as nice has it: all the way.
const gentle = 19

// network is one that is loaded.
type network struct {
	session *ort.DynamicAdvancedSession
	outputs int
}

// prepare loads the library and the networks, while this child may still open files.
func prepare(args []string) (confine.Role, error) {
	dir := args[0]
	widen(os.Stdout)
	// Whoever works on the bench goes first; all threads of this process, which has a group of its own.
	unix.Setpriority(unix.PRIO_PGRP, 0, gentle)
	if err := Check(dir); err != nil {
		return nil, err
	}
	said := func(err error) error { return fmt.Errorf("%w: %w", ErrAbsent, err) }
	ort.SetSharedLibraryPath(filepath.Join(dir, libraries[runtime.GOARCH].path))
	if err := ort.InitializeEnvironment(); err != nil {
		return nil, said(err)
	}
	opts, err := ort.NewSessionOptions()
	if err != nil {
		return nil, said(err)
	}
	defer opts.Destroy()
	// One thread, and memory given back: there may be several children, and each counts.
	err = errors.Join(opts.SetIntraOpNumThreads(1), opts.SetInterOpNumThreads(1), opts.SetCpuMemArena(false),
		opts.SetMemPattern(false))
	if err != nil {
		return nil, said(err)
	}
	networks := map[reading.Model]network{}
	for m, f := range weights {
		path := filepath.Join(dir, f.path)
		ins, outs, err := ort.GetInputOutputInfo(path)
		if err != nil {
			return nil, said(err)
		}
		s, err := ort.NewDynamicAdvancedSession(path, names(ins), names(outs), opts)
		if err != nil {
			return nil, said(err)
		}
		networks[m] = network{s, len(outs)}
	}
	return func(c confine.Call) error { return work(c, networks) }, nil
}

func names(infos []ort.InputOutputInfo) []string {
	out := make([]string, len(infos))
	for i, n := range infos {
		out[i] = n.Name
	}
	return out
}

// work answers requests until there are no more.
func work(c confine.Call, networks map[reading.Model]network) error {
	in := bufio.NewReaderSize(c.Stdin, 1<<12)
	for {
		q, err := receiveRequest(in)
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
		out, err := networks[q.model].run(q.in)
		if err := answer(c.Out, out, err); err != nil {
			return err
		}
	}
}

func (n network) run(in reading.Tensor) ([]reading.Tensor, error) {
	shape := make([]int64, len(in.Shape))
	for i, d := range in.Shape {
		shape[i] = int64(d)
	}
	t, err := ort.NewTensor(ort.NewShape(shape...), in.Data)
	if err != nil {
		return nil, err
	}
	defer t.Destroy()
	values := make([]ort.Value, n.outputs)
	err = n.session.Run([]ort.Value{t}, values)
	for _, v := range values {
		if v != nil {
			defer v.Destroy()
		}
	}
	if err != nil {
		return nil, err
	}
	out := make([]reading.Tensor, len(values))
	for i, v := range values {
		numbers, ok := v.(*ort.Tensor[float32])
		if !ok {
			return nil, fmt.Errorf("a network gave %T", v)
		}
		for _, d := range numbers.GetShape() {
			out[i].Shape = append(out[i].Shape, int(d))
		}
		out[i].Data = append([]float32(nil), numbers.GetData()...)
	}
	return out, nil
}
