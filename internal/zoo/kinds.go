package zoo

// Kinds are the kinds of the zoo.
var Kinds = []Kind{
	{Name: "h264.mp4", What: "H.264 and AAC", Few: true, Args: args(picture("320x180", "25", 1), tone(2, 1),
		opt("-c:v libx264 -pix_fmt yuv420p -c:a aac "+video))},
	{
		Name: "mbaff.ts", What: "H.264, 50 fields, transport stream", Few: true,
		Args: args(picture("320x192", "50", 1), tone(2, 1),
			opt(pal+" -c:v libx264 -x264-params tff=1 -pix_fmt yuv420p -c:a mp2")),
	},
	{
		Name: "mpeg2.mxf", What: "MPEG-2 4:2:2, 50 fields, two tracks of PCM, timecode", Few: true,
		Args: args(picture("320x192", "50", 1),
			tone(1, 1), tone(1, 1), opt("-map 0 -map 1 -map 2 "+pal+
				" -c:v mpeg2video -b:v 8M -pix_fmt yuv422p -c:a pcm_s24le -timecode 10:00:00:00 "+video)),
	},
	{
		Name: "dv.mov", What: "DV, bottom field first, oblong pixels",
		Args: args(picture("720x576", "50", .6), tone(2, .6),
			opt("-vf tinterlace=interleave_bottom,setfield=bff -r 25 -aspect 16:9 "+
				"-c:v dvvideo -pix_fmt yuv420p -c:a pcm_s16le")),
	},
	{Name: "dv411.mov", What: "DV 4:1:1", Few: true, Args: args(picture("720x480", "30000/1001", .3), tone(2, .3),
		opt("-c:v dvvideo -pix_fmt yuv411p -c:a pcm_s16le"))},
	{Name: "prores.mov", What: "ProRes HQ, 5.1", Few: true, Args: args(picture("320x180", "25", .6), tone(6, .6),
		opt("-c:v prores_ks -profile:v 3 -pix_fmt yuv422p10le -c:a pcm_s24le -channel_layout 5.1 "+
			"-timecode 01:00:00:00 "+video))},
	{Name: "prores4444.mov", What: "ProRes 4444 with opacity", Args: args(picture("192x108", "25", .3), tone(2, .3),
		opt("-c:v prores_ks -profile:v 4 -pix_fmt yuva444p10le -c:a pcm_s24le"))},
	{Name: "dnxhr.mov", What: "DNxHR HQX", Args: args(picture("320x180", "25", .6), tone(2, .6),
		opt("-c:v dnxhd -profile:v dnxhr_hqx -pix_fmt yuv422p10le -c:a pcm_s24le"))},
	{Name: "hevc.mp4", What: "HEVC 10 bit, HLG", Args: args(picture("320x180", "50", .6), tone(2, .6),
		opt("-c:v libx265 -x265-params log-level=none -pix_fmt yuv420p10le -c:a aac -colorspace bt2020nc "+
			"-color_primaries bt2020 -color_trc arib-std-b67"))},
	{Name: "vp9.webm", What: "VP9 and Opus", Few: true, Args: args(picture("320x180", "25", .6), tone(2, .6),
		opt("-c:v libvpx-vp9 -b:v 1M -pix_fmt yuv420p -c:a libopus"))},
	{Name: "mjpeg.avi", What: "Motion JPEG, full range", Args: args(picture("320x180", "25", .6), tone(2, .6),
		opt("-c:v mjpeg -pix_fmt yuvj422p -q:v 3 -c:a pcm_s16le"))},
	{Name: "mpeg4.avi", What: "MPEG-4 with B pictures", Args: args(picture("320x180", "25", 1), tone(2, 1),
		opt("-c:v mpeg4 -bf 2 -q:v 4 -c:a pcm_s16le"))},
	{
		Name: "grey.mkv", What: "grey 10 bit",
		Args: args(picture("192x108", "25", .4), opt("-c:v ffv1 -pix_fmt gray10le")),
	},
	{
		Name: "rgb.mkv", What: "R'G'B' 10 bit", Few: true,
		Args: args(picture("192x108", "25", .4), opt("-c:v ffv1 -pix_fmt gbrp10le")),
	},
	{
		Name: "rgba.mov", What: "R'G'B' with opacity",
		Args: args(picture("192x108", "25", .4), opt("-c:v qtrle -pix_fmt argb")),
	},
	{
		Name: "variable.mp4", What: "a phone's variable rate", Few: true,
		Args: args(picture("320x180", "30", 2), tone(2, 2),
			opt("-vf select='not(eq(mod(n\\,7)\\,3))*not(between(n\\,20\\,26))' -vsync vfr "+
				"-c:v libx264 -pix_fmt yuv420p -c:a aac")),
	},
	{Name: "turned.mov", What: "4:2:2 on its side", Args: args(picture("320x180", "25", .6),
		opt("-c:v prores_ks -pix_fmt yuv422p10le"), []string{""}, opt("-i FIRST -c copy -metadata:s:v rotate=90"))},
	{Name: "ntsc.mov", What: "59.94, drop frame timecode", Args: args(picture("320x180", "60000/1001", .6), tone(2, .6),
		opt("-c:v prores_ks -pix_fmt yuv422p10le -c:a pcm_s24le -timecode 00:59:58;00"))},
	{
		Name: "hidden.mp4", What: "an edit list that hides the beginning", Few: true,
		Args: args(picture("320x180", "25", 2), tone(2, 2),
			opt("-c:v libx264 -g 50 -bf 0 -pix_fmt yuv420p -c:a aac"), []string{""}, opt("-ss 0.64 -i FIRST -c copy")),
	},
	{Name: "early.mov", What: "sound that begins before the picture", Args: args([]string{"-itsoffset", "0.3"},
		picture("320x180", "25", 1), tone(2, 1.3), opt("-c:v prores_ks -pix_fmt yuv422p10le -c:a pcm_s16le"))},
	{Name: "late.mkv", What: "sound that begins after the picture", Args: args(picture("320x180", "25", 1),
		[]string{"-itsoffset", "0.3"}, tone(2, 1), opt("-c:v libx264 -pix_fmt yuv420p -c:a flac"))},
	{
		Name: "midgroup.ts", What: "a recording that begins in mid-group", Few: true,
		Args: args(picture("320x180", "25", 3), tone(2, 3),
			opt("-c:v libx264 -g 25 -x264-params open-gop=1:scenecut=0 -pix_fmt yuv420p -c:a mp2"), []string{""},
			opt("-ss 0.5 -noaccurate_seek -i FIRST -c copy -copyinkf")),
	},
	{Name: "float.mov", What: "floating-point sound", Args: args(picture("320x180", "25", .6), tone(2, .6),
		opt("-c:v libx264 -pix_fmt yuv420p -c:a pcm_f32le"))},
	{Name: "sixteen.mov", What: "sixteen channels", Args: args(picture("320x180", "25", .6), tone(16, .6),
		opt("-c:v libx264 -pix_fmt yuv420p -c:a pcm_s24le"))},
	{Name: "surround.mkv", What: "AC-3 5.1", Args: args(picture("320x180", "25", .6), tone(6, .6),
		opt("-c:v libx264 -pix_fmt yuv420p -c:a ac3 -channel_layout 5.1"))},
	{
		Name: "silent.mp4", What: "no sound",
		Args: args(picture("320x180", "25", .6), opt("-c:v libx264 -pix_fmt yuv420p")),
	},
	{Name: "odd.mkv", What: "odd sides", Args: args(picture("213x121", "25", .4), opt("-c:v ffv1 -pix_fmt yuv420p"))},
	{
		Name: "frame.webp", What: "WebP",
		Args: args(picture("192x108", "25", .04), opt("-frames:v 1 -c:v libwebp -lossless 1")),
	},
	{
		Name: "frame.dpx", What: "DPX 10 bit",
		Args: args(picture("192x108", "25", .04), opt("-frames:v 1 -pix_fmt gbrp10le")),
	},
	{Name: "frame.exr", What: "OpenEXR", Refused: "pixel format", Args: args(picture("192x108", "25", .04),
		opt("-frames:v 1 -vf format=gbrpf32le"))},
	{
		Name: "spoilt.mp4", What: "spoilt bytes in the picture", Few: true, Refused: "damaged", Spoil: spoil,
		Args: args(picture("640x360", "25", 2), opt("-c:v libx264 -g 50 -b:v 4M -pix_fmt yuv420p -movflags +faststart")),
	},
	{
		Name: "cut.mxf", What: "cut in the middle", Few: true, Refused: "cut short", Spoil: cut(.6),
		Args: args(picture("320x180", "25", 1), tone(2, 1), opt("-c:v mpeg2video -b:v 8M -pix_fmt yuv422p -c:a pcm_s16le")),
	},
	{
		Name: "unfinished.mp4", What: "its index is missing", Refused: "no clip", Spoil: cut(.7),
		Args: args(picture("320x180", "25", 1), opt("-c:v libx264 -pix_fmt yuv420p")),
	},
	{Name: "only.wav", What: "sound alone", Refused: "no picture", Args: tone(2, 1)},
}
