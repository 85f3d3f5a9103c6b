// The picture alone, on the whole screen where the browser allows it.
import { onScopeDispose, ref } from 'vue'

export function useFullscreen() {
  const on = ref(false)

  /** Shows the picture alone, or everything again. */
  async function set(wanted: boolean) {
    on.value = wanted
    try {
      if (wanted) await document.documentElement.requestFullscreen?.()
      else if (document.fullscreenElement) await document.exitFullscreen()
    } catch {
      // A browser that refuses shows it in its window.
    }
  }

  // The browser's own key for leaving the whole screen ends it too.
  const follow = () => {
    if (!document.fullscreenElement) on.value = false
  }
  document.addEventListener('fullscreenchange', follow)
  onScopeDispose(() => document.removeEventListener('fullscreenchange', follow))
  return { on, set }
}
