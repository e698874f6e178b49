// What a test asks of the person who holds the device, over everything else on the screen.

export interface Question {
  text: string
  number?: { label: string; unit: string } // to be typed
  choices: string[] // the first one is what usually comes
  white?: boolean // a white screen is offered, to be measured
}
export interface Answer {
  choice: number
  value?: number // what was typed, above zero
}

/** ask shows a question until it is answered. Nobody answers for a device that is left alone: the run waits. */
export function ask(q: Question, signal: AbortSignal): Promise<Answer> {
  const field = document.getElementById('stage')!
  const made = <K extends keyof HTMLElementTagNameMap>(tag: K, text = '', name = '') => Object.assign(document.createElement(tag), { textContent: text, className: name })
  const sheet = made('form', '', 'question')
  const words = made('p', q.text)
  words.id = 'question'
  sheet.setAttribute('aria-labelledby', words.id)
  sheet.append(words)
  const input = q.number && made('input')
  if (input) {
    const label = made('label', `${q.number!.label}, in ${q.number!.unit}`, 'soft')
    label.htmlFor = input.id = 'typed'
    input.inputMode = 'decimal'
    input.autocomplete = 'off'
    sheet.append(label, input)
  }
  const wrong = made('p', '', 'caution')
  wrong.setAttribute('role', 'alert')
  field.className = 'field'
  field.replaceChildren(sheet)
  field.hidden = false
  return new Promise<Answer>((done, fail) => {
    const stop = () => fail(signal.reason)
    if (signal.aborted) return stop()
    signal.addEventListener('abort', stop)
    const choose = (choice: number) => {
      if (!input || choice > 0) return done({ choice })
      const value = Number(input.value.trim().replace(',', '.'))
      if (input.value.trim() && Number.isFinite(value) && value > 0 && value < 1e6) return done({ choice, value })
      wrong.textContent = `Type a number above zero, in ${q.number!.unit}.`
      input.focus()
    }
    q.choices.forEach((text, i) => {
      const b = made('button', text, i ? '' : 'go')
      b.type = i ? 'button' : 'submit'
      if (i) b.onclick = () => choose(i)
      sheet.append(b)
    })
    if (q.white) {
      const b = made('button', 'Show white')
      b.type = 'button'
      b.onclick = () => {
        const white = made('div', '', 'white')
        white.setAttribute('aria-label', 'White; tap to go back')
        white.onclick = () => white.remove()
        field.append(white)
      }
      sheet.insertBefore(b, sheet.querySelector('label'))
    }
    sheet.onsubmit = (e) => {
      e.preventDefault()
      choose(0)
    }
    sheet.append(wrong)
    ;(input ?? sheet.querySelector('button'))?.focus()
  }).finally(() => {
    field.hidden = true
    field.className = ''
    field.replaceChildren()
  })
}
