package main

import (
	"crypto/ed25519"
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"celator/internal/certificate"
	"celator/internal/storage"
)

func verifyCommand() *cobra.Command {
	var public string
	c := &cobra.Command{
		Use: "verify CERTIFICATE FILE", Short: "Say whether a certificate is a file's", Args: cobra.ExactArgs(2),
	}
	c.Flags().StringVar(&public, "key", "", "the public key of who must have signed it (PEM)")
	c.RunE = func(_ *cobra.Command, args []string) error {
		var key ed25519.PublicKey
		if public != "" {
			b, err := os.ReadFile(public)
			if err == nil {
				key, err = certificate.ReadPublic(b)
			}
			if err != nil {
				return fmt.Errorf("%s: %w", public, err)
			}
		}
		st, err := os.Stat(args[0])
		if err != nil {
			return err
		}
		if st.Size() > certificate.MaxBytes {
			return fmt.Errorf("%s: it is too large for a certificate", args[0])
		}
		b, err := os.ReadFile(args[0])
		if err != nil {
			return err
		}
		s, by, err := certificate.Open(b, key)
		if err != nil {
			return fmt.Errorf("%s: %w", args[0], err)
		}
		sha, size, err := storage.Digest(args[1])
		if err != nil {
			return err
		}
		if sha != s.File.SHA256 {
			why := "its content differs"
			if size != s.File.Size {
				why = fmt.Sprintf("it has %d bytes, not %d", size, s.File.Size)
			}
			return fmt.Errorf("%s is not the file that the certificate is of: %w", args[1], errors.New(why))
		}
		fmt.Printf("%s is %s of %s, as it was delivered on %s: %d frames, %d shots.\n", args[1], s.File.Name, s.Programme,
			s.Made.Format("2006-01-02 at 15:04 MST"), s.File.Frames, len(s.Shots))
		for _, shot := range s.Shots {
			for _, it := range shot.Items {
				fmt.Printf("  %s, %s: %s\n", shot.Name, it.Name, it.State)
			}
		}
		if key == nil {
			fmt.Printf("Who signed it is not checked without --key; the key it carries is %x.\n", []byte(by))
		}
		return nil
	}
	return c
}
