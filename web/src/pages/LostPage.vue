<script setup lang="ts">
import PageHead from '../parts/PageHead.vue'
</script>

<template>
  <PageHead title="No such page" sub="The address leads nowhere. The pages stand on the left." />
</template>
