<script setup lang="ts">
import { computed, onBeforeUnmount, ref } from 'vue'

// Start, lap, stop; every lap is a repeat. The clock is the browser's steady one.
const props = defineProps<{ name: string; save: (laps: number[]) => Promise<boolean> }>()
const laps = ref<number[]>([])
const began = ref<number | null>(null)
const now = ref(0)
let ticking = 0
const shown = computed(() => (began.value === null ? (laps.value.at(-1) ?? 0) : Math.max(0, (now.value - began.value) / 1000)))
function tick() {
  now.value = performance.now()
  ticking = requestAnimationFrame(tick)
}
function start() {
  began.value = now.value = performance.now()
  tick()
}
function lap(go: boolean) {
  const at = performance.now()
  laps.value.push(Number(((at - began.value!) / 1000).toFixed(2)))
  began.value = go ? at : null
  if (!go) cancelAnimationFrame(ticking)
}
async function keep() {
  if (await props.save(laps.value)) laps.value = []
}
onBeforeUnmount(() => cancelAnimationFrame(ticking))
</script>

<template>
  <div class="row">
    <span class="clock" role="timer" :aria-label="`Stopwatch, ${name}`">{{ shown.toFixed(2) }} s</span>
    <v-btn v-if="began === null" class="go" @click="start">Start</v-btn>
    <template v-else><v-btn class="go" @click="lap(false)">Stop</v-btn><v-btn @click="lap(true)">Lap</v-btn></template>
    <v-spacer />
    <span class="soft small">{{ laps.length ? laps.map((l) => `${l.toFixed(2)} s`).join(', ') : 'Stop after each repeat, or use Lap for one after the other.' }}</span>
    <v-btn v-if="laps.length && began === null" @click="laps = []">Discard</v-btn>
    <v-btn v-if="laps.length && began === null" @click="keep">Save {{ laps.length }} lap{{ laps.length > 1 ? 's' : '' }}</v-btn>
  </div>
</template>
