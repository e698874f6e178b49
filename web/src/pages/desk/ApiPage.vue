<script setup lang="ts">
import 'rapidoc'
import { computed } from 'vue'
import { useDisplay, useTheme } from 'vuetify'
import PageHead from '../../parts/PageHead.vue'

// What programs may ask of this service, from the service's own description; nothing is loaded from anywhere else.
const theme = useTheme()
const { width } = useDisplay()
const dark = computed(() => theme.global.current.value.dark)
const colour = (name: string) => String(theme.global.current.value.colors[name])
</script>

<template>
  <PageHead
    title="For programs"
    sub="Every operation of this service, with what it takes and answers. A program asks with a token of People."
  >
    <v-btn to="/people">Tokens</v-btn>
    <v-btn href="/api/openapi.json" download="openapi.json">Description, OpenAPI 3.1</v-btn>
  </PageHead>
  <rapi-doc
    class="reference sheet" spec-url="/api/openapi.json" :render-style="width < 900 ? 'view' : 'focused'"
    :theme="dark ? 'dark' : 'light'" :bg-color="colour('surface')" :text-color="colour('on-surface')"
    :primary-color="colour('primary')" :nav-bg-color="colour('surface')" :nav-text-color="colour('on-surface')"
    regular-font="IBM Plex Sans, Helvetica, Arial, sans-serif" mono-font="ui-monospace, monospace" load-fonts="false"
    font-size="default" show-header="false" :show-info="width < 900 ? 'false' : 'true'" allow-try="false"
    allow-authentication="false" allow-server-selection="false" allow-spec-url-load="false"
    allow-spec-file-load="false" allow-spec-file-download="false" show-method-in-nav-bar="as-plain-text"
    nav-item-spacing="compact" nav-hover-text-color="inherit" schema-style="table" schema-description-expanded="true"
    show-components="false" use-path-in-nav-bar="false" sort-tags="false" update-route="true"
  />
</template>

<style scoped>
.reference { width: 100%; height: calc(100vh - 150px); min-height: 480px; overflow: hidden; }
</style>
