// On a phone a table's rows become cards: each cell then needs its column's name beside it.
const narrow = matchMedia('(max-width: 640px)')

function label(table: HTMLTableElement): void {
  const heads = [...(table.tHead?.rows[0]?.cells ?? [])]
  const names: string[] = []
  for (const h of heads) for (let i = 0; i < h.colSpan; i++) names.push(h.innerText.trim())
  for (const body of table.tBodies) for (const row of body.rows) {
    let at = 0
    for (const cell of row.cells) {
      const name = cell.colSpan > 1 ? '' : (names[at] ?? '')
      if (cell.dataset.label !== name) cell.dataset.label = name
      at += cell.colSpan
    }
  }
}

/** Keeps the cells of all tables within an element named by their columns, as long as the page is narrow. */
export function labelTables(within: HTMLElement): void {
  let waiting = false
  const look = () => {
    waiting = false
    if (narrow.matches) within.querySelectorAll<HTMLTableElement>('.sheet table').forEach(label)
  }
  const soon = () => {
    if (waiting || !narrow.matches) return
    waiting = true
    requestAnimationFrame(look)
  }
  new MutationObserver(soon).observe(within, { childList: true, subtree: true })
  narrow.addEventListener('change', soon)
  soon()
}
