<script setup lang="ts">
// The workbench of one shoot: the bar, the open step, the picture, what lies under it, the probes.
import { computed, onUnmounted, provide, ref, watch } from 'vue'
import { lookAt } from '../state/look'
import { useLayout } from '../state/layout'
import { useShoot } from '../state/shoot'
import { openStep } from '../steps'
import FrameStrip from '../steps/frames/FrameStrip.vue'
import FoldButton from '../ui/FoldButton.vue'
import CompareView from '../viewer/CompareView.vue'
import ProbePanel from '../viewer/probes/ProbePanel.vue'
import { useAddress } from './address'
import { defineCommands, onCommand } from './commands'
import CourseBar from './CourseBar.vue'
import DropTarget from './DropTarget.vue'
import KeyList from './KeyList.vue'
import RunStatus from './RunStatus.vue'

const props = defineProps<{ id: number }>()
const store = useShoot()
const layout = useLayout()
const keysShown = ref(false)
const picture = ref<InstanceType<typeof CompareView>>()
const step = computed(() => openStep(store))
const strip = computed(() => step.value.strip ?? FrameStrip)
provide(lookAt, (x, y) => picture.value?.lookAt(x, y))
useAddress()

watch(() => props.id, store.open, { immediate: true })
watch(
  () => store.shoot?.name,
  (name) => name && (document.title = `${name} · Jade Stack`),
)

defineCommands('Shoot', [
  { id: 'run', text: 'Run the plan', key: 'r' },
  { id: 'undo', text: 'Undo', key: 'Ctrl+z' },
  { id: 'redo', text: 'Redo', key: 'Ctrl+Shift+z' },
  { id: 'panels', text: 'Fold all panels away, or open them', key: 'y' },
  { id: 'alone', text: 'The picture alone', key: 'u' },
  { id: 'keys', text: 'List of keys', key: '?' },
])
onCommand('run', store.run)
onCommand('undo', store.undo)
onCommand('redo', store.redo)
onCommand('panels', layout.toggleAll, () => !layout.alone)
onCommand('alone', () => layout.setAlone(!layout.alone))
onCommand('keys', () => (keysShown.value = true))
onUnmounted(() => {
  if (layout.alone) void layout.setAlone(false)
  store.close()
})
</script>

<template>
  <main v-if="store.missing" class="flex h-full flex-col items-center justify-center gap-4">
    <h1>{{ store.missing }}</h1>
    <RouterLink to="/" class="button">Back to the shoots</RouterLink>
  </main>
  <DropTarget
    v-else-if="store.shoot"
    class="grid h-full grid-cols-[auto_minmax(0,1fr)_auto] grid-rows-[auto_minmax(0,1fr)_auto] overflow-hidden"
  >
    <CourseBar v-if="!layout.alone" class="col-span-3" />
    <main class="contents">
      <h1 v-if="layout.alone" class="sr-only">{{ store.shoot.name }}</h1>
      <section
        v-if="layout.sheet"
        class="row-span-2 row-start-2 flex min-h-0 w-[clamp(15.5rem,20.5vw,24rem)] flex-col border-r border-rule"
        :aria-label="`${step.label}: settings`"
        data-test="sheet"
      >
        <!-- What is hidden for the eye lies within what scrolls. -->
        <div class="relative min-h-0 flex-1 overflow-auto px-4.5 pt-4">
          <FoldButton
            class="float-right -mt-1 -mr-2.5"
            panel="the settings"
            open
            edge="left"
            data-test="fold-sheet"
            @toggle="layout.toggle('sheet')"
          />
          <component :is="step.sheet(store)" />
        </div>
        <RunStatus />
      </section>
      <CompareView ref="picture" class="col-start-2 row-start-2" />
      <ProbePanel v-if="layout.probes" class="col-start-3 row-span-2 row-start-2" />
      <component :is="strip" v-if="layout.strip" class="col-start-2 row-start-3 min-w-0" />
    </main>
    <KeyList :open="keysShown" @close="keysShown = false" />
  </DropTarget>
</template>
