import { defineStore } from 'pinia'
import { ref } from 'vue'

export interface Notice {
  id: number
  text: string
  problem: boolean
  undo?: () => Promise<void> | void
}

/** Short messages over the upper part of the page; those with an undo stay longer. */
export const useNotices = defineStore('notices', () => {
  const notices = ref<Notice[]>([])
  let next = 1

  function show(text: string, options: { problem?: boolean; undo?: Notice['undo'] } = {}) {
    const notice = { id: next++, text, problem: options.problem ?? false, undo: options.undo }
    notices.value = [...notices.value.slice(-2), notice]
    setTimeout(() => dismiss(notice.id), options.undo || options.problem ? 12_000 : 5_000)
  }

  function dismiss(id: number) {
    notices.value = notices.value.filter((n) => n.id !== id)
  }

  return { notices, show, dismiss }
})
