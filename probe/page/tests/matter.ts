// What a day's loads show and work on: articles, pictures and tables made from a seed.
type Noise = () => number

const words = 'sea harbour buoy chart tide current wind lantern survey channel depth mooring signal crew watch station boat hull line anchor beacon fog swell shore rock sand pilot sounding bearing log engine radio drill coast estuary bar ferry light mast rope squall ebb flood neap spring reef'.split(' ')
const joints = 'under over beside beyond before after with without along across'.split(' ')

function sentence(next: Noise): string {
  const n = 8 + (next() % 12)
  const out = Array.from({ length: n }, (_, i) => (i % 4 === 3 ? joints[next() % joints.length]! : words[next() % words.length]!))
  out[0] = out[0]![0]!.toUpperCase() + out[0]!.slice(1)
  return `${out.join(' ')}.`
}

/** painted is a picture of its own: hills over water, from the seed. */
function painted(next: Noise): HTMLCanvasElement {
  const c = document.createElement('canvas')
  ;[c.width, c.height] = [960, 540]
  const g = c.getContext('2d')!
  const unit = () => next() / 2 ** 32
  const hue = 190 + 40 * unit()
  for (let layer = 0; layer < 7; layer++) {
    g.fillStyle = `hsl(${hue + 6 * layer} ${40 - 3 * layer}% ${82 - 9 * layer}%)`
    g.beginPath()
    g.moveTo(0, 540)
    const [a, b, p] = [20 + 60 * unit(), 2 + 4 * unit(), 6 * unit()]
    for (let x = 0; x <= 960; x += 12) g.lineTo(x, 90 + 62 * layer + a * Math.sin((b * x) / 300 + p))
    g.lineTo(960, 540)
    g.fill()
  }
  for (let i = 0; i < 1500; i++) {
    g.fillStyle = `rgba(255,255,255,${0.25 * unit()})`
    g.fillRect(960 * unit(), 540 * unit(), 2, 1)
  }
  return c
}

/** article is a heading, paragraphs and, where wanted, pictures between them. */
export function article(next: Noise, pictures: boolean): HTMLElement[] {
  const out: HTMLElement[] = []
  const add = (tag: string, text: string) => out.push(Object.assign(document.createElement(tag), { textContent: text }))
  for (let part = 0; part < 4; part++) {
    add('h2', sentence(next).slice(0, 48))
    for (let p = 0; p < 4; p++) add('p', Array.from({ length: 5 }, () => sentence(next)).join(' '))
    if (pictures) out.push(painted(next))
  }
  return out
}

/** pageOf takes the whole screen for a page that is read or worked on. */
export function pageOf(): { sheet: HTMLElement; drawn(signal: AbortSignal): Promise<boolean>; end(): void } {
  const field = document.getElementById('stage')!
  const sheet = Object.assign(document.createElement('div'), { className: 'page', tabIndex: 0 })
  field.className = ''
  field.replaceChildren(sheet)
  field.hidden = false
  return {
    sheet,
    // whether a frame was drawn within a second: a page that is hidden draws none
    drawn: (signal) => new Promise((done) => {
      const late = setTimeout(() => done(false), 1000)
      requestAnimationFrame(() => {
        clearTimeout(late)
        done(!signal.aborted)
      })
    }),
    end() {
      field.hidden = true
      field.replaceChildren()
    },
  }
}

/** table is a sheet of numbers of which each row depends on the one before; again works it out anew. */
export function table(columns: number, rows: number): { element: HTMLTableElement; again(next: Noise): void } {
  const element = document.createElement('table')
  const cells = Array.from({ length: rows }, () => {
    const row = element.insertRow()
    return Array.from({ length: columns }, () => row.insertCell())
  })
  const again = (next: Noise) => {
    let row = Array.from({ length: columns }, () => 1 + (next() % 1000))
    for (const line of cells) {
      row = row.map((v, i) => (v * 31 + row[(i + 1) % columns]! * 17 + 7) % 100_003)
      line.forEach((cell, i) => (cell.textContent = row[i]!.toLocaleString('en')))
    }
  }
  again(() => 500)
  return { element, again }
}
