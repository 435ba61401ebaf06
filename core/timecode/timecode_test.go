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

// What an editor may type, from frame 3057 of a shot that begins at ten.
func TestParseFrom(t *testing.T) {
	tc, _ := New(Rate{30000, 1001}, "10:00:00;00")
	const now = 3057 // 10:01:41;29
	if got := tc.Format(now); got != "10:01:41;29" {
		t.Fatal(got)
	}
	for typed, want := range map[string]string{
		"112": "10:00:03;22", " f 112 ": "10:00:03;22", "+2": "10:01:42;01", "-29": "10:01:41;00",
		":07": "10:01:41;07", "14.7": "10:01:14;07", "14:": "10:01:14;00", "0:14:07": "10:00:14;07",
		"10:01:14;07": "10:01:14;07", "2:0:2": "10:02:00;02",
	} {
		f, err := tc.ParseFrom(typed, now)
		if err != nil || tc.Format(f) != want {
			t.Errorf("%q: %s, %v; want %s", typed, tc.Format(f), err, want)
		}
	}
	for _, bad := range []string{"", "x", "+", "f", ":", "1:2:3:4:5", "2:0:0", "61:00"} {
		if f, err := tc.ParseFrom(bad, now); err == nil && bad != ":" {
			t.Errorf("%q was taken as %d", bad, f)
		}
	}
}

func FuzzParse(f *testing.F) {
	f.Add("10:00:00:00")
	f.Add("7;12")
	tc, _ := New(Rate{30000, 1001}, "00:00:00;00")
	f.Fuzz(func(t *testing.T, s string) {
		tc.ParseFrom(s, 100)
		if n, err := tc.Parse(s); err == nil && (n < 0 || n > 24*3600*30) {
			t.Fatalf("%q is frame %d", s, n)
		}
	})
}

// A rate is a positive ratio in its lowest terms, or refused; written it is read alike.
func FuzzRate(f *testing.F) {
	for _, s := range []string{
		"25", "30000/1001", "0/0", "9223372036854775807/1", "1/9223372036854775807", "-1/-1",
		"1000/1", "10/9223372036854775801",
	} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		r, err := ParseRate(s)
		if err != nil {
			return
		}
		if again, err := ParseRate(r.String()); err != nil || again != r || r.Num < 1 || r.Den < 1 ||
			!(r.Float() > 0 && r.Float() <= 1001) || r.Nominal() < 1 {
			t.Fatalf("%q is %v, and then %v, %v", s, r, again, err)
		}
	})
}
