<script setup lang="ts">
import { LineChart } from 'echarts/charts'
import { DataZoomComponent, GridComponent, MarkLineComponent, TooltipComponent } from 'echarts/components'
import { use } from 'echarts/core'
import { CanvasRenderer } from 'echarts/renderers'
import { computed } from 'vue'
import VChart from 'vue-echarts'
import { useTheme } from 'vuetify'
import type { Of } from '../api/client'
import { useSymbols } from './symbols'
import { number, sensor } from './words'

// Channels of a trace one above the other, on one clock, with the run's phases marked. Zooming asks for
// the stretch anew, so that it is drawn as finely as it was sampled.
use([LineChart, GridComponent, TooltipComponent, MarkLineComponent, DataZoomComponent, CanvasRenderer])

const props = defineProps<{ view: Of<'ResultsTraceView'>; shown: string[] }>()
const emit = defineEmits<{ zoom: [from: number, to: number] }>()
const theme = useTheme()
const symbol = useSymbols()
const each = 104
const channels = computed(() => props.shown.map((c) => props.view.series.find((s) => s.channel === c)).filter((s) => s !== undefined))
const height = computed(() => `${channels.value.length * each + 14}px`)
const unit = (s: Of<'RecordSeries'>) => symbol(s.unit) || sensor(s.channel)[1]
const name = (s: Of<'RecordSeries'>) => [sensor(s.channel)[0], unit(s)].filter(Boolean).join(', ')
const says = computed(() => channels.value.map((s) => `${name(s)}: from ${number(Math.min(...s.values), 3)} to ${number(Math.max(...s.values), 3)}`).join('; '))
const option = computed(() => {
  const c = theme.current.value.colors
  const soft = c.soft as string
  const line = c.line as string
  const label = { color: soft, fontFamily: 'IBM Plex Sans', fontSize: 11.5 }
  const grids = channels.value.map((_, i) => ({ left: 58, right: 14, top: i * each + 28, height: each - 46 }))
  const last = channels.value.length - 1
  return {
    animation: false,
    axisPointer: { link: [{ xAxisIndex: 'all' }] },
    tooltip: {
      trigger: 'axis', backgroundColor: c.surface, borderColor: line, textStyle: { color: c['on-surface'], fontFamily: 'IBM Plex Sans', fontSize: 12 },
      formatter: (points: { axisValue: number; seriesIndex: number; value: [number, number] }[]) =>
        [`<b>${number(points[0]?.axisValue ?? 0, 4)} s</b>`, ...points.map((p) => `${sensor(channels.value[p.seriesIndex]!.channel)[0]} ${number(p.value[1], 4)} ${unit(channels.value[p.seriesIndex]!)}`)].join('<br>'),
    },
    grid: grids,
    dataZoom: [{ type: 'inside', xAxisIndex: grids.map((_, i) => i), filterMode: 'none', zoomOnMouseWheel: 'ctrl' }],
    xAxis: grids.map((_, i) => ({
      type: 'value', gridIndex: i, min: props.view.from, max: props.view.to, axisLabel: { ...label, show: i === last, formatter: (v: number) => `${number(v, 3)} s`, hideOverlap: true }, axisTick: { show: i === last },
      axisLine: { lineStyle: { color: line } }, splitLine: { show: false },
    })),
    yAxis: grids.map((_, i) => ({
      type: 'value', gridIndex: i, scale: true, splitNumber: 2, name: name(channels.value[i]!), nameGap: 13, nameTextStyle: { ...label, color: c['on-surface'], align: 'left', padding: [0, 0, 0, -50] },
      axisLabel: { ...label, formatter: (v: number) => number(v, 3) }, splitLine: { lineStyle: { color: line } },
    })),
    series: channels.value.map((s, i) => ({
      type: 'line', name: name(s), xAxisIndex: i, yAxisIndex: i, showSymbol: false, data: s.times.map((t, k) => [t, s.values[k]]),
      lineStyle: { width: 1.4, color: i ? c.soft : c.primary }, itemStyle: { color: i ? c.soft : c.primary },
      markLine: { silent: true, symbol: 'none', lineStyle: { color: soft, type: 'dotted', width: 1, opacity: 0.55 }, label: { show: i === 0, formatter: '{b}', color: soft, fontSize: 11, rotate: 0, position: 'insideEndTop', align: 'left', width: 90, overflow: 'truncate' },
        data: props.view.phases.filter((p) => p.at > props.view.from && p.at < props.view.to).slice(0, 12).map((p) => ({ name: p.name, xAxis: p.at })) },
    })),
  }
})
let waiting: ReturnType<typeof setTimeout> | undefined
function zoomed(e: unknown) {
  const told = e as { batch?: { start?: number; end?: number }[]; start?: number; end?: number }
  const z = told.batch?.[0] ?? told
  if (z.start === undefined || z.end === undefined) return
  const from = props.view.from + (z.start / 100) * (props.view.to - props.view.from)
  const to = props.view.from + (z.end / 100) * (props.view.to - props.view.from)
  clearTimeout(waiting)
  waiting = setTimeout(() => emit('zoom', from, to), 250)
}
</script>

<template>
  <v-chart class="traces" :style="{ height }" :option="option" :update-options="{ notMerge: true }" autoresize role="img" :aria-label="says" @datazoom="zoomed" />
</template>
