<script setup lang="ts">
import { computed } from 'vue'
import type { Of } from '../api/client'
import { moment } from './words'

// What a machine joins with: a picture for phones, a code to type, a command for machines.
const props = defineProps<{ code: Of<'JoinCode'> }>()
const qr = computed(() => `data:image/svg+xml,${encodeURIComponent(props.code.qr)}`)
</script>

<template>
  <div class="join">
    <img :src="qr" :alt="`QR code of ${code.link}`" width="190" height="190">
    <div>
      <div class="code">{{ code.code }}</div>
      <p class="soft small">Good for one device, until {{ moment(code.expires) }}.</p>
      <p class="mt-2">A phone, a tablet or any browser: point its camera at the picture, or open <span class="cond">{{ code.link.replace(/#.*/, '') }}</span> and type the code.</p>
      <p v-if="code.note" class="caution small">{{ code.note }}</p>
    </div>
  </div>
  <div class="soft">A machine with the agent:</div>
  <pre class="say">durvek agent --server {{ code.link.replace(/\/probe\/.*/, '') }} --code {{ code.code }} --path FOLDER</pre>
</template>
