// The scene's coarse picture by quality: means of 16 × 9 fields, red, green, blue, in base64. A test of the probe
// writes it anew when it is run with -update.
export const references: Record<string, string> = {
  low: '',
  medium: '',
  high: '',
}
