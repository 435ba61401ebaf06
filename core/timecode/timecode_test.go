package timecode

import "testing"

func TestKnownTimecodes(t *testing.T) {
	ntsc := Rate{30000, 1001}
	for _, c := range []struct {
		rate  Rate
		start string
		f     int64
		want  string
	}{
		{Rate{25, 1}, "", 112, "00:00:04:12"},
		{Rate{25, 1}, "10:02:10:00", 107, "10:02:14:07"},
		{ntsc, "00:00:00;00", 1799, "00:00:59;29"},
		{ntsc, "00:00:00;00", 1800, "00:01:00;02"}, // numbers 0 and 1 are dropped
		{ntsc, "00:00:00;00", 17982, "00:10:00;00"},
		{ntsc, "00:00:00;00", 107892, "01:00:00;00"},
		{ntsc, "00:00:00:00", 1800, "00:01:00:00"}, // non-drop
		{Rate{60000, 1001}, "00:00:00;00", 3600, "00:01:00;04"},
		{Rate{24000, 1001}, "", 24, "00:00:01:00"},
		{Rate{25, 1}, "23:59:59:24", 1, "00:00:00:00"},
	} {
		tc, err := New(c.rate, c.start)
		if err != nil {
			t.Fatal(err)
		}
		if got := tc.Format(c.f); got != c.want {
			t.Errorf("%v from %q, frame %d: %s, want %s", c.rate, c.start, c.f, got, c.want)
		}
	}
}

// Every frame of a day has its own timecode and is found by it.
func TestRoundTrip(t *testing.T) {
	for _, rate := range []Rate{{25, 1}, {30000, 1001}, {60000, 1001}, {24000, 1001}, {50, 1}} {
		for _, start := range []string{"", "00:59:58;10", "10:00:00:00"} {
			tc, err := New(rate, start)
			if err != nil {
				t.Fatal(err)
			}
			for f := int64(0); f < 14*3600*rate.Nominal()*99/100-tc.Offset; f += 7 {
				s := tc.Format(f)
				got, err := tc.Parse(s)
				if err != nil || got != f {
					t.Fatalf("%v from %q: frame %d is %s, which is frame %d (%v)", rate, start, f, s, got, err)
				}
			}
		}
	}
	tc, _ := New(Rate{30000, 1001}, "00:00:00;00")
	for _, bad := range []string{"00:01:00;00", "1:2:3:4:5", "x", "", "00:60:00:00", "00:00:00:30", "-1"} {
		if _, err := tc.Parse(bad); err == nil {
			t.Errorf("%q was taken", bad)
		}
	}
	if f, _ := tc.Parse("7:12"); f != 222 {
		t.Errorf("7:12 is frame %d", f)
	}
}

func FuzzParse(f *testing.F) {
	f.Add("10:00:00:00")
	f.Add("7;12")
	tc, _ := New(Rate{30000, 1001}, "00:00:00;00")
	f.Fuzz(func(t *testing.T, s string) {
		if n, err := tc.Parse(s); err == nil && (n < 0 || n > 24*3600*30) {
			t.Fatalf("%q is frame %d", s, n)
		}
	})
}
