package browser

import (
	"durvek/core/method"
)

func init() {
	register(method.Test{Slug: "webgpu-picture", Name: "WebGPU, harbour picture", Group: "graphics", Page: "picture",
		BrowserNeeds: []method.BrowserNeed{method.NeedsSecure, method.NeedsWebGPU}, Seconds: 8,
		About: "The harbour picture is painted by following light from the eye through every pixel, up to six times on " +
			"from " +
			"surface to surface: the same scene and the same paths as the processor's, in passes of two paths for each of " +
			"320 × 180 pixels. " + webgpu,
		StandsFor: "Pictures and films worked out by light.", LimitedBy: "The shader's arithmetic units, and how well they " +
			"bear branches that go either way.", Input: "The scene of 54 boxes and balls from seed 29.",
		Checked:   "The mean colours of 16 × 9 fields against the known picture's. " + software,
		MustMatch: []string{"graphics.renderer"}, Options: []method.Option{chip},
		Measures: rate("{sample}/us", "rate", "paths followed")}, true)
}
