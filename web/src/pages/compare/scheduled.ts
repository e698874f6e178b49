import { ref } from 'vue'
import { api, must, type Of } from '../../api/client'
import { useAct } from '../../parts/act'

/** Puts what a schedule holds on the bench, a plan for each machine; what is done by hand stays off it. */
export function usePutAll() {
  const { trouble, busy, act, again } = useAct()
  const put = ref(0)
  async function putAll(bundles: Of<'ScheduleBundle'>[]) {
    put.value = 0
    await act(async () => {
      for (const b of bundles) {
        const steps = b.items.filter((i) => !i.hand).map((i) => ({ test: i.test, repeats: i.repeats }))
        if (!steps.length) continue
        await must(api.POST('/api/plans', { body: { unit: b.unit, setup: b.setup, name: `Scheduled: ${steps.length} ${steps.length === 1 ? 'test' : 'tests'}`, steps } }))
        put.value++
      }
    })
    await again('bench', 'today', 'compared')
  }
  return { trouble, busy, put, putAll }
}

export const hoursAtHand = ['0.5', '1', '2', '3', '4', '6', '8', '16'].map((h) => ({ value: h, title: Number(h) < 1 ? '30 minutes' : `${h} hour${h === '1' ? '' : 's'}` }))
