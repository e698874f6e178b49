(() => {
  let blocking = 0, last = 0
  const told = typeof PerformanceObserver !== 'undefined' && (PerformanceObserver.supportedEntryTypes || []).includes('longtask')
  if (told) new PerformanceObserver((l) => { for (const e of l.getEntries()) { blocking += e.duration - 50; last = Math.max(last, e.startTime + e.duration) } }).observe({ type: 'longtask', buffered: true })
  const scroll = () => new Promise((done) => {
    const times = [], begin = performance.now(), length = document.documentElement.scrollHeight - innerHeight
    const step = (t) => {
      times.push(t)
      const share = Math.min(1, (performance.now() - begin) / 1500)
      scrollTo(0, share * length)
      if (share < 1) return requestAnimationFrame(step)
      const gaps = times.slice(1).map((x, i) => x - times[i]).sort((a, b) => a - b)
      const usual = gaps[gaps.length >> 1] || 16.7
      const due = gaps.reduce((s, g) => s + Math.max(1, Math.round(g / usual)), 0)
      done(due ? 100 * (due - gaps.length) / due : 0)
    }
    requestAnimationFrame(step)
  })
  addEventListener('load', () => {
    const loaded = performance.now()
    const quiet = setInterval(async () => {
      const since = Math.max(loaded, last)
      if (performance.now() - since < 500) return
      clearInterval(quiet)
      const paint = performance.getEntriesByType('paint').find((e) => e.name === 'first-contentful-paint')
      const wait = blocking
      const missed = location.hash === '#scroll' ? await scroll() : undefined
      parent.postMessage({ page: location.pathname, paint: paint && paint.startTime, usable: Math.max(since, paint ? paint.startTime : 0), blocking: told ? wait : undefined, missed }, location.origin)
    }, 50)
  })
})()
