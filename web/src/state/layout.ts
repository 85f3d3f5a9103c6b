// Which panels are open; remembered on this machine.
import { useFullscreen } from './fullscreen'
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { useShoot } from './shoot'

const STORED = 'jade-stack-panels'

interface Panels {
  sheet: boolean
  strip: boolean
  /** Whether probes are shown; without a wish, while there are some. */
  probes: boolean | null
}

function stored(): Panels {
  const usual: Panels = { sheet: true, strip: true, probes: null }
  try {
    return { ...usual, ...(JSON.parse(localStorage.getItem(STORED) ?? '{}') as Partial<Panels>) }
  } catch {
    return usual
  }
}

export const useLayout = defineStore('layout', () => {
  const shoot = useShoot()
  const wish = ref(stored())
  const full = useFullscreen()
  watch(wish, (now) => localStorage.setItem(STORED, JSON.stringify(now)), { deep: true })

  const has = computed(() => (shoot.shoot?.probes.length ?? 0) > 0)
  const sheet = computed(() => wish.value.sheet && !full.on.value)
  const strip = computed(() => wish.value.strip && !full.on.value)
  const probes = computed(() => (wish.value.probes ?? has.value) && !full.on.value)

  function toggle(panel: keyof Panels) {
    const open = { sheet, strip, probes }[panel].value
    wish.value[panel] = !open
  }

  /** Folds all panels away, or opens them again where none is open. */
  function toggleAll() {
    const open = !(sheet.value || strip.value || probes.value)
    wish.value = { sheet: open, strip: open, probes: open ? null : false }
  }

  /** Pinned probes are seen. */
  function showProbes() {
    if (wish.value.probes === false) wish.value.probes = null
  }

  return { sheet, strip, probes, alone: full.on, toggle, toggleAll, showProbes, setAlone: full.set }
})
