package media

import (
	"archive/zip"
	"context"
	"encoding/binary"
	"fmt"
	"image"
	_ "image/png" // read by verification
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"

	_ "golang.org/x/image/tiff" // the same
)

// Folders of a package.
const (
	PicturesFolder = "pictures"
	MattesFolder   = "mattes"
)

// number writes joined pictures as files, numbered as the source's frames, and packs them with what lies
// beside them.
func (o Output) number(ctx context.Context, args []string, progress func(done int)) error {
	dir, err := os.MkdirTemp(filepath.Dir(o.Path), ".numbered")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	name := "file:" + filepath.Join(strings.ReplaceAll(dir, "%", "%%"), "%06d."+o.Preset.pictures)
	args = append(args, "-f", "image2", "-start_number", fmt.Sprint(o.First), name)
	p, err := watched(ctx, args, progress)
	if err == nil {
		err = p.errs.fault()
	}
	if err != nil {
		return fmt.Errorf("media: the pictures cannot be numbered: %w", err)
	}
	return o.pack(os.DirFS(dir))
}

// pack puts pictures, where there are some, and what lies beside them into a ZIP as they are: they are coded
// already.
func (o Output) pack(pictures fs.FS) error {
	f, err := os.Create(o.Path)
	if err != nil {
		return err
	}
	defer f.Close()
	z := zip.NewWriter(f)
	if pictures != nil {
		if err := packed(z, pictures, PicturesFolder); err != nil {
			return err
		}
	}
	if o.Beside != "" {
		if err := packed(z, os.DirFS(o.Beside), ""); err != nil {
			return err
		}
	}
	if err := z.Close(); err != nil {
		return err
	}
	return f.Close()
}

// packed puts a folder's files into a folder of a ZIP.
func packed(z *zip.Writer, dir fs.FS, as string) error {
	return fs.WalkDir(dir, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		w, err := z.CreateHeader(&zip.FileHeader{Name: path.Join(as, name), Method: zip.Store})
		if err != nil {
			return err
		}
		r, err := dir.Open(name)
		if err != nil {
			return err
		}
		defer r.Close()
		_, err = io.Copy(w, r)
		return err
	})
}

// CheckNumbered reads packed pictures again, each whole, and returns how many there are. All must have
// the size, and numbers from first on without a gap.
func CheckNumbered(file string, first, width, height int) (n int, err error) {
	z, err := zip.OpenReader(file)
	if err != nil {
		return 0, err
	}
	defer z.Close()
	for _, f := range z.File {
		if path.Dir(f.Name) != PicturesFolder {
			continue
		}
		if want := fmt.Sprintf("%s/%06d%s", PicturesFolder, first+n, path.Ext(f.Name)); f.Name != want {
			return n, fmt.Errorf("picture %s stands where %s is to be", f.Name, want)
		}
		if err := checkPicture(f, width, height); err != nil {
			return n, fmt.Errorf("picture %s: %w", f.Name, err)
		}
		n++
	}
	return n, nil
}

func checkPicture(f *zip.File, width, height int) error {
	r, err := f.Open()
	if err != nil {
		return err
	}
	defer r.Close()
	const most = 1 << 30
	b, err := io.ReadAll(io.LimitReader(r, most)) // to the end, where the sum is compared
	if err != nil {
		return err
	}
	w, h := 0, 0
	if strings.HasSuffix(f.Name, ".dpx") {
		const sizes = 772 // in the header (SMPTE ST 268)
		if len(b) < sizes+8 {
			return fmt.Errorf("it is cut")
		}
		var order binary.ByteOrder
		switch string(b[:4]) {
		case "SDPX":
			order = binary.BigEndian
		case "XPDS":
			order = binary.LittleEndian
		default:
			return fmt.Errorf("it is no DPX")
		}
		w, h = int(order.Uint32(b[sizes:])), int(order.Uint32(b[sizes+4:]))
		if w < 1 || h < 1 || len(b)/w < h { // a byte a pixel, at least
			return fmt.Errorf("it is cut")
		}
	} else {
		c, _, err := image.DecodeConfig(strings.NewReader(string(b)))
		if err != nil {
			return err
		}
		w, h = c.Width, c.Height
	}
	if w != width || h != height {
		return fmt.Errorf("it has %dx%d, not %dx%d", w, h, width, height)
	}
	return nil
}
