import { defineStore } from 'pinia'
import { ref } from 'vue'

export interface Notice {
  id: number
  text: string
  problem: boolean
  undo?: () => Promise<void> | void
}

/**
 * Short messages over the upper part of the page. Those with an undo stay longer, and problems until
 * they are dismissed.
 */
export const useNotices = defineStore('notices', () => {
  const notices = ref<Notice[]>([])
  let next = 1

  function show(text: string, options: { problem?: boolean; undo?: Notice['undo'] } = {}) {
    const notice = { id: next++, text, problem: options.problem ?? false, undo: options.undo }
    // The same problem once more is no news.
    const others = notices.value.filter((n) => !(n.problem && n.text === text))
    const kept = others.filter((n) => n.problem)
    const passing = others.filter((n) => !n.problem).slice(-2)
    notices.value = [...kept, ...passing, notice]
    if (!notice.problem) setTimeout(() => dismiss(notice.id), options.undo ? 12_000 : 5_000)
  }

  function dismiss(id: number) {
    notices.value = notices.value.filter((n) => n.id !== id)
  }

  return { notices, show, dismiss }
})
