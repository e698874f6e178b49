<script setup lang="ts">
import { computed } from 'vue'
import type { Of } from '../../api/client'

type Review = Of<'VerdictReview'>
const props = defineProps<{ mine: Review; theirs: Review }>()
const emit = defineEmits<{ settled: [review: Review] }>()
const names: Partial<Record<keyof Review, string>> = {
  title: 'Title', summary: 'Summary', advice: 'Advice', recommendation: 'Recommendation', field: 'Field', uses: 'Written for', charts: 'Charts', findings: 'Findings', fits: 'For whom', alternatives: 'Alternatives',
  upgrades: 'From an older one', take: 'Which configuration', turns: 'Price', not_tested: 'Not tested', sections: 'Sections', state: 'State', state_note: 'State, why',
}
const text = (v: unknown) => (v === undefined || v === null || v === '' ? '—' : typeof v === 'string' ? v : JSON.stringify(v, null, 1).replace(/[{}[\]"]/g, '').replace(/\n\s*\n/g, '\n').trim())
const apart = computed(() => (Object.keys(names) as (keyof Review)[]).filter((k) => text(props.mine[k]) !== text(props.theirs[k])))
const chosen: Partial<Record<keyof Review, 'mine' | 'theirs'>> = {}
/** What was chosen of each part, saved on top of what stands there now. */
function settle() {
  const out = JSON.parse(JSON.stringify(props.theirs)) as Review
  for (const k of apart.value) if (chosen[k] !== 'theirs') Object.assign(out, { [k]: props.mine[k] })
  emit('settled', out)
}
</script>

<template>
  <div class="sheet pad mb-4" role="alertdialog" aria-label="Changed by somebody else">
    <strong>Somebody else saved this review meanwhile. Nothing is lost: choose of each part whose words stand.</strong>
    <table class="mt-3">
      <thead><tr><th></th><th>Yours</th><th>Theirs</th></tr></thead>
      <tbody>
        <tr v-for="k in apart" :key="k">
          <th scope="row">{{ names[k] }}</th>
          <td><label><input type="radio" :name="k" checked @change="chosen[k] = 'mine'" /> <span class="kept">{{ text(mine[k]) }}</span></label></td>
          <td><label><input type="radio" :name="k" @change="chosen[k] = 'theirs'" /> <span class="kept">{{ text(theirs[k]) }}</span></label></td>
        </tr>
      </tbody>
    </table>
    <div class="row mt-3"><v-spacer /><v-btn class="go" @click="settle">Go on with these</v-btn></div>
  </div>
</template>
