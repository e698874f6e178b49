package browser

import (
	"fmt"

	"durvek/core/method"
	"durvek/core/quantity"
)

// Codecs, heights and frame rates of the films that are played; a measure's slug joins one of each.
var (
	codecs  = []string{"h264", "hevc", "vp9", "av1"}
	heights = []int{720, 1080, 1440, 2160}
	rates   = []int{30, 60}
)

// named are the codecs as people write them.
var named = map[string]string{"h264": "H.264", "hevc": "HEVC", "vp9": "VP9", "av1": "AV1"}

func init() {
	var dropped, encoded []method.Measure
	for _, c := range codecs {
		for _, h := range heights {
			for _, r := range rates {
				dropped = append(dropped, method.Measure{Slug: fmt.Sprintf("%s-%d-%d", c, h, r),
					Name: fmt.Sprintf("%s, %d × %d, %d frames/s", named[c], h*16/9, h, r), Unit: "%", Words: "dropped",
					Scale: quantity.Share, Better: quantity.Lower, Repeatability: 0.5, Margin: 1})
			}
		}
		encoded = append(encoded, method.Measure{Slug: c, Name: named[c], Unit: "{frame}/s", Words: "rate",
			Scale: quantity.Ratio, Better: quantity.Higher, Repeatability: 0.03})
	}
	dropped = append(dropped, method.Measure{Slug: "start", Name: "time to the first frame, median", Unit: "ms",
		Scale: quantity.Ratio, Better: quantity.Lower, Repeatability: 0.15})
	const own = "A chart under drifting marks with grain, drawn from seed 23; a tenth of a bit a pixel. Nothing is " +
		"shipped or " +
		"loaded."
	screen := []method.BrowserNeed{method.NeedsScreen, method.NeedsSecure}
	register(method.Test{Slug: "video-playback", Name: "Films, frames dropped", Group: "video", Page: "film",
		BrowserNeeds: screen, Seconds: 330, Repeats: 3,
		About: "Two seconds of film in each of four codecs, four sizes and two frame rates are encoded on the device and " +
			"played in a loop over the whole screen. Which share of the frames that came due was not shown, between the first " +
			"and the last frame that was. The browser says beside it which of them it decodes at little power.",
		StandsFor: "Films on the way, calls, lessons.", LimitedBy: "The decoder in hardware, else the processor; then the " +
			"way to the screen.", Input: own,
		Checked: "A film that stands still fails; one that the browser cannot encode, or encodes too slowly, is left out " +
			"and " +
			"said so.",
		Options: []method.Option{{Slug: "codecs", Meaning: "which are played, or all", Default: "all",
			Choices: append([]string{"all"}, codecs...)}, {Slug: "largest", Meaning: "height of the largest that are played",
			Default: "2160", Choices: []string{"720", "1080", "1440", "2160"}}, {Slug: "length", Meaning: "how long each is " +
			"played",
			Default: "5 s", Unit: "s", Least: 1, Most: 600, Match: true}},
		Measures: dropped}, false)
	register(method.Test{Slug: "video-encoding", Name: "Films, encoding", Group: "video", Page: "film",
		BrowserNeeds: screen[1:], Seconds: 26, Repeats: 3,
		About: "Film of 1920 × 1080 goes through the browser's own encoder for six seconds in each codec: frames a second. " +
			"The pictures stand ready before.",
		StandsFor: "Calls, films cut and sent.", LimitedBy: "The encoder in hardware, else the processor.", Input: own,
		Checked: "Frames count once they have come out of the encoder.",
		Options: []method.Option{{Slug: "encoder", Meaning: "which the browser is asked for", Default: "any",
			Choices: []string{"any", "hardware", "software"}, Match: true}},
		Measures: encoded}, false)
}
