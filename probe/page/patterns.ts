// Test patterns over the whole screen, for a colorimeter, a sound-level meter, a camera or the eye. Nothing is delivered:
// what a meter writes comes in as a file, what a person sees through an inspection sheet.

interface Pattern {
  name: string
  group: string
  draw(g: CanvasRenderingContext2D, w: number, h: number, t: number): void
  moves?: boolean
  sound?(at: AudioContext): () => void
}

const levels = [0, 13, 26, 51, 77, 102, 128, 153, 179, 204, 230, 255]
const fill = (css: string) => (g: CanvasRenderingContext2D, w: number, h: number) => {
  g.fillStyle = css
  g.fillRect(0, 0, w, h)
}
const black = fill('#000')

/** cells draws a grid; each cell's colour comes from its place. */
function cells(across: number, down: number, colour: (x: number, y: number) => string) {
  return (g: CanvasRenderingContext2D, w: number, h: number) => {
    for (let y = 0; y < down; y++)
      for (let x = 0; x < across; x++) {
        g.fillStyle = colour(x, y)
        g.fillRect(Math.floor((x * w) / across), Math.floor((y * h) / down), Math.ceil(w / across), Math.ceil(h / down))
      }
  }
}

/** fields are places of the screen, numbered as a sheet of uniformity lists them; on is the one to be measured, white on grey. */
const field = (on: number) => (g: CanvasRenderingContext2D, w: number, h: number) => {
  fill('#fff')(g, w, h)
  g.strokeStyle = '#bbb'
  g.fillStyle = '#888'
  g.font = `${Math.round(h / 40)}px "IBM Plex Sans", sans-serif`
  for (let i = 0; i < 9; i++) {
    const [x, y] = [((i % 3) + 0.5) * (w / 3), (Math.floor(i / 3) + 0.5) * (h / 3)]
    g.beginPath()
    g.arc(x, y, Math.min(w, h) / (i === on ? 12 : 40), 0, 7)
    g.stroke()
    if (i === on) g.fillText(String(i + 1), x + Math.min(w, h) / 11, y)
  }
}

function tone(hertz: (seconds: number) => number, seconds: number) {
  return (at: AudioContext): (() => void) => {
    const o = at.createOscillator()
    const gain = at.createGain()
    gain.gain.value = 0.5
    o.connect(gain).connect(at.destination)
    const n = Math.max(2, Math.round(seconds * 20))
    o.frequency.setValueCurveAtTime(Float32Array.from({ length: n }, (_, i) => hertz((seconds * i) / (n - 1))), at.currentTime + 0.05, seconds)
    o.start()
    return () => o.stop()
  }
}

export const patterns: Pattern[] = [
  ...levels.map((v) => ({ name: `grey ${v} of 255`, group: 'greys', draw: fill(`rgb(${v},${v},${v})`) })),
  ...(['red', 'green', 'blue', 'cyan', 'magenta', 'yellow'] as const).map((name) => ({ name, group: 'colours', draw: fill({ red: '#f00', green: '#0f0', blue: '#00f', cyan: '#0ff', magenta: '#f0f', yellow: '#ff0' }[name]) })),
  ...levels.slice(3, 11).map((v) => ({ name: `skin and sky ${v}`, group: 'mixed', draw: cells(4, 2, (x, y) => `hsl(${45 * (4 * y + x)} 45% ${Math.round((100 * v) / 255)}%)`) })),
  { name: 'contrast of a chequerboard', group: 'contrast', draw: cells(4, 4, (x, y) => ((x + y) % 2 ? '#000' : '#fff')) },
  { name: 'steps near black', group: 'contrast', draw: cells(16, 1, (x) => `rgb(${x},${x},${x})`) },
  { name: 'steps near white', group: 'contrast', draw: cells(16, 1, (x) => `rgb(${240 + x},${240 + x},${240 + x})`) },
  { name: 'greys from black to white', group: 'contrast', draw: cells(32, 1, (x) => `rgb(${Math.round((255 * x) / 31)},${Math.round((255 * x) / 31)},${Math.round((255 * x) / 31)})`) },
  ...Array.from({ length: 9 }, (_, i) => ({ name: `uniformity, field ${i + 1} of 9`, group: 'uniformity', draw: field(i) })),
  { name: 'angles: the same grey, white and skin from every side', group: 'angles', draw: cells(3, 1, (x) => ['#808080', '#fff', '#d9a07c'][x]!) },
  { name: 'single pixels: look for those that stay dark', group: 'pixels', draw: fill('#fff') },
  { name: 'single pixels: look for those that stay lit', group: 'pixels', draw: black },
  { name: 'lines of one pixel', group: 'pixels', draw: (g, w, h) => { black(g, w, h); g.fillStyle = '#fff'; for (let x = 0; x < w; x += 2) g.fillRect(x, 0, 1, h) } },
  { name: 'switching between black and white, once a second', group: 'response', moves: true, draw: (g, w, h, t) => fill(t % 2 < 1 ? '#000' : '#fff')(g, w, h) },
  { name: 'switching between two greys, once a second', group: 'response', moves: true, draw: (g, w, h, t) => fill(t % 2 < 1 ? 'rgb(51,51,51)' : 'rgb(204,204,204)')(g, w, h) },
  { name: 'a bar that crosses the screen in a second', group: 'response', moves: true, draw: (g, w, h, t) => { black(g, w, h); g.fillStyle = '#fff'; g.fillRect((t % 1) * w, 0, w / 24, h) } },
  { name: 'a white that does not flicker by itself', group: 'flicker', draw: fill('#fff') },
  { name: 'tone of 1 kHz for 20 s', group: 'sound', draw: black, sound: tone(() => 1000, 20) },
  { name: 'sweep from 20 Hz to 20 kHz in 20 s', group: 'sound', draw: black, sound: tone((t) => 20 * 1000 ** (t / 20), 20) },
]

/** shown fills the screen with one pattern after another until the person leaves; each seconds on by itself where that is above zero. */
export function shown(seconds: number): Promise<void> {
  const stage = document.getElementById('stage')!
  const canvas = document.createElement('canvas')
  const label = Object.assign(document.createElement('div'), { className: 'over' })
  label.setAttribute('role', 'status')
  stage.className = ''
  stage.tabIndex = 0
  stage.replaceChildren(canvas, label)
  stage.hidden = false
  stage.focus()
  void document.documentElement.requestFullscreen?.().catch(() => undefined)
  const g = canvas.getContext('2d')!
  let [at, begin, over, quiet] = [0, performance.now(), false, undefined as (() => void) | undefined]
  let sound: AudioContext | undefined
  const draw = () => {
    if (over) return
    const p = patterns[at]!
    const [w, h] = [Math.round(innerWidth * devicePixelRatio), Math.round(innerHeight * devicePixelRatio)]
    if (canvas.width !== w || canvas.height !== h) [canvas.width, canvas.height] = [w, h]
    p.draw(g, w, h, (performance.now() - begin) / 1000)
    if (p.moves) requestAnimationFrame(draw)
  }
  const show = (to: number) => {
    quiet?.()
    quiet = undefined
    at = (to + patterns.length) % patterns.length
    begin = performance.now()
    const p = patterns[at]!
    label.textContent = `${p.name} · ${at + 1} of ${patterns.length}`
    label.hidden = false
    const of = at
    setTimeout(() => of === at && (label.hidden = true), 2500) // it would be measured as well
    if (p.sound) quiet = p.sound((sound ??= new AudioContext()))
    draw()
  }
  return new Promise((done) => {
    const timer = seconds > 0 ? setInterval(() => (at === patterns.length - 1 ? end() : show(at + 1)), 1000 * seconds) : undefined
    const keyed = (e: KeyboardEvent) => {
      if (e.key === 'Escape') end()
      else if (['ArrowRight', ' ', 'Enter'].includes(e.key)) show(at + 1)
      else if (e.key === 'ArrowLeft') show(at - 1)
      else return
      e.preventDefault()
    }
    // The left third goes back, the top edge leaves, all else goes on.
    const tapped = (e: PointerEvent) => (e.clientY < 40 ? end() : show(e.clientX < innerWidth / 3 ? at - 1 : at + 1))
    const end = () => {
      over = true
      clearInterval(timer)
      quiet?.()
      void sound?.close()
      removeEventListener('keydown', keyed)
      removeEventListener('resize', draw)
      stage.removeEventListener('pointerdown', tapped)
      stage.hidden = true
      stage.replaceChildren()
      if (document.fullscreenElement) void document.exitFullscreen()
      done()
    }
    addEventListener('keydown', keyed)
    addEventListener('resize', draw)
    stage.addEventListener('pointerdown', tapped)
    show(0)
  })
}
