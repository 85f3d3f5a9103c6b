// A cross that the keyboard moves over the picture and works with as with a pointer.
import { computed, ref } from 'vue'
import type { View } from './pane'
import type { Hand } from './paint/hand'

/** The cross moves by so many pixels of the screen, and by one with Shift. */
const STEP = 16
/** It stays this far within the edges: beyond, the picture moves instead. */
const EDGE = 24

const WAYS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
}

/** What the cross works on. */
export interface Under {
  /** Size of the view in pixels of the screen. */
  size: () => { width: number; height: number }
  /** Where the picture lies that is at a place of the view, and the side that it is. */
  picture: (x: number) => { side: 'a' | 'b'; view: View }
  hand: () => Hand | null
  /** Moves the picture by pixels of the screen. */
  pan: (x: number, y: number) => void
  zoom: (factor: number, x: number, y: number) => void
  /** Makes use of a click there, where something waits for one. */
  click: (side: 'a' | 'b', x: number, y: number) => void
}

export function useCross(under: Under) {
  const at = ref<{ x: number; y: number } | null>(null)
  /** The place under the cross, in pixels of the reference frame. */
  const place = computed(() => {
    if (!at.value) return null
    const { side, view } = under.picture(at.value.x)
    return {
      side,
      x: (at.value.x - view.left) / view.scale,
      y: (at.value.y - view.top) / view.scale,
      scale: view.scale,
    }
  })

  /** Shows it where it was last, or in the middle. */
  function enter() {
    const { width, height } = under.size()
    at.value ??= { x: Math.round(width / 2), y: Math.round(height / 2) }
  }

  function leave() {
    if (under.hand()?.painting) under.hand()!.end()
    under.hand()?.hover?.(null)
    at.value = null
  }

  function move([x, y]: [number, number]) {
    const { width, height } = under.size()
    const to = { x: at.value!.x + x, y: at.value!.y + y }
    const within = (v: number, end: number) => Math.min(Math.max(v, EDGE), end - EDGE)
    const kept = { x: within(to.x, width), y: within(to.y, height) }
    if (kept.x !== to.x || kept.y !== to.y) under.pan(to.x - kept.x, to.y - kept.y)
    at.value = kept
    const hand = under.hand()
    if (!hand?.active) return
    const { x: px, y: py, scale } = place.value!
    hand.hover?.({ x: px - 0.5, y: py - 0.5 })
    if (hand.painting) hand.move([px - 0.5, py - 0.5, hand.radius / scale])
  }

  /** Clicks, or puts the brush down and lifts it again. */
  function use() {
    const hand = under.hand()
    const { side, x, y, scale } = place.value!
    if (!hand?.active) return under.click(side, x, y)
    if (hand.painting) hand.end()
    else hand.begin([x - 0.5, y - 0.5, hand.radius / scale])
  }

  /** Says whether it made use of a key. */
  function key(event: KeyboardEvent): boolean {
    if (!at.value || event.ctrlKey || event.altKey || event.metaKey) return false
    const way = WAYS[event.key]
    const by = event.shiftKey ? 1 : STEP
    if (way) move([way[0] * by, way[1] * by])
    else if (event.key === 'Enter') use()
    else if (event.key === '+' || event.key === '=') under.zoom(1.25, at.value.x, at.value.y)
    else if (event.key === '-') under.zoom(0.8, at.value.x, at.value.y)
    else return false
    return true
  }

  return { at, place, enter, leave, key }
}
