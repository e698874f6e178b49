<script setup lang="ts">
import { LineChart } from 'echarts/charts'
import { GridComponent, TooltipComponent } from 'echarts/components'
import { use } from 'echarts/core'
import { SVGRenderer } from 'echarts/renderers'
import { computed } from 'vue'
import VChart from 'vue-echarts'
import { useTheme } from 'vuetify'
import type { Of } from '../api/client'
import { bytes, number } from './words'

// A series over time, or a curve over another axis, with its scales.
use([LineChart, GridComponent, TooltipComponent, SVGRenderer])

const props = defineProps<{ series: Of<'RecordSeries'>; unit: string; name: string; went?: Of<'TrustWent'> }>()
const theme = useTheme()
const axis = computed(() => props.series.axis ?? '')
// Sizes, threads and depths double from point to point; time and amounts run evenly.
const doubling = computed(() => {
  const t = props.series.times
  return !!axis.value && t.length > 2 && t[0]! > 0 && t[t.length - 1]! / t[0]! >= 8 && !['bytes written', 'round', 'logical core', 'idle'].includes(axis.value)
})
// Where the largest is thirty times the smallest, only a logarithmic scale shows both.
const steep = computed(() => {
  const lo = Math.min(...props.series.values)
  return lo > 0 && Math.max(...props.series.values) / lo > 30
})
const place = (v: number) => (props.series.along === 'By' ? bytes(v) : number(v, 3))
const axisName = computed(() => (axis.value ? axis.value + ({ 'GBy': ', GB', 's': ', s' }[props.series.along ?? ''] ?? '') : 'seconds'))
const says = computed(() => {
  const { times, values } = props.series
  return `${props.name}: ${values.length} points over ${axisName.value}, from ${number(values[0] ?? 0)} at ${place(times[0] ?? 0)} to ${number(values[values.length - 1] ?? 0)} at ${place(times[times.length - 1] ?? 0)}, ${props.unit}`
})
const option = computed(() => {
  const c = theme.current.value.colors
  const soft = c.soft as string
  const line = c.line as string
  const label = { color: soft, fontFamily: 'IBM Plex Sans', fontSize: 11.5 }
  return {
    animation: false,
    grid: { left: 8, right: 18, top: 26, bottom: 24, containLabel: true },
    tooltip: { trigger: 'axis', valueFormatter: (v: number) => `${number(v)} ${props.unit}`, backgroundColor: c.surface, borderColor: line, textStyle: { color: c['on-surface'], fontFamily: 'IBM Plex Sans', fontSize: 12 } },
    xAxis: {
      type: doubling.value ? 'log' : 'value', logBase: 2, name: axisName.value, nameLocation: 'middle', nameGap: 26, nameTextStyle: label, min: 'dataMin', max: 'dataMax',
      axisLabel: { ...label, formatter: place, hideOverlap: true }, axisLine: { lineStyle: { color: line } }, splitLine: { show: false },
    },
    yAxis: { type: steep.value ? 'log' : 'value', name: props.unit, nameTextStyle: { ...label, align: 'left' }, axisLabel: { ...label, formatter: (v: number) => number(v, 3) }, splitLine: { lineStyle: { color: line } } },
    series: [{
      type: 'line', name: props.name, data: props.series.times.map((t, i) => [t, props.series.values[i]]), showSymbol: props.series.times.length < 40, symbolSize: 5,
      lineStyle: { color: c.primary, width: 1.8 }, itemStyle: { color: c.primary },
    }, ...stretches(props.went?.levels ?? [], c.caution as string, 2.4), ...stretches(props.went?.dips ?? [], soft, 1.6)],
  }
})
// A level is a line over the stretch that it was held for; a dip a thinner one.
function stretches(list: Of<'TrustHeld'>[], color: string, width: number) {
  return list.map((l) => ({ type: 'line', data: [[l.from, l.at], [l.to, l.at]], showSymbol: false, silent: true, tooltip: { show: false }, lineStyle: { color, width } }))
}
</script>

<template>
  <v-chart class="trace" :option="option" autoresize role="img" :aria-label="says" />
</template>
