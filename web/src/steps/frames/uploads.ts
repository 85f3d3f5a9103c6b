import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { sentence } from '../../api/client'
import { upload } from '../../api/upload'
import type { Added } from '../../api/types'
import { useNotices } from '../../state/notices'

export interface Upload {
  id: number
  name: string
  share: number
  problem: string
  stop: () => void
}

/** Files on their way to the server at once. */
const AT_ONCE = 3

/** Files on their way; the page can be left while they go. */
export const useUploads = defineStore('uploads', () => {
  const uploads = ref<Upload[]>([])
  const notices = useNotices()
  let next = 1
  const waiting: (() => Promise<void>)[] = []
  let going = 0

  const share = computed(() => {
    const all = uploads.value
    return all.length ? all.reduce((sum, u) => sum + u.share, 0) / all.length : 0
  })

  async function add(shoot: number, files: File[]) {
    const added: Added[] = []
    await Promise.all(
      files.map((file) => new Promise<void>((done) => queue(shoot, file, added, done))),
    )
    tell(added)
  }

  function queue(shoot: number, file: File, added: Added[], done: () => void) {
    const id = next++
    // The entry as the list holds it, so that its changes are seen.
    const entry = () => uploads.value.find((u) => u.id === id)
    const take = () => {
      waiting.splice(waiting.indexOf(send), 1)
      dismiss(id)
      done()
    }
    uploads.value.push({ id, name: file.name, share: 0, problem: '', stop: take })
    const send = async () => {
      const { done: sent, stop } = upload(shoot, file, (share) => {
        const own = entry()
        if (own) own.share = share
      })
      const own = entry()
      if (own) own.stop = stop
      try {
        added.push(await sent)
        dismiss(id)
      } catch (error) {
        const own = entry()
        if (own) own.problem = sentence(error)
      }
      done()
    }
    waiting.push(send)
    pump()
  }

  /** Takes back what has not begun, and stops what has. */
  function stopAll() {
    for (const one of [...uploads.value].reverse()) if (!one.problem) one.stop()
  }

  function pump() {
    while (going < AT_ONCE && waiting.length) {
      going++
      void waiting.shift()!().finally(() => {
        going--
        pump()
      })
    }
  }

  function dismiss(id: number) {
    uploads.value = uploads.value.filter((u) => u.id !== id)
  }

  /** One line about what became of the files. */
  function tell(added: Added[]) {
    const frames = added.filter((a) => a.frame && !a.frame.problem).length
    const broken = added.filter((a) => a.frame?.problem).length
    const gone = added.filter((a) => a.problem !== null)
    const same = added.filter((a) => a.same_as !== null)
    const parts: string[] = []
    if (frames) parts.push(`${frames} frame${frames > 1 ? 's' : ''} added`)
    if (broken) parts.push(`${broken} cannot be read`)
    if (same.length === 1) {
      const one = same[0]!
      parts.push(
        `${one.name} is there already${one.same_as === one.name ? '' : ` as ${one.same_as}`}`,
      )
    } else if (same.length) parts.push(`${same.length} are there already`)
    if (parts.length) notices.show(`${parts.join('; ')}.`, { problem: broken > 0 })
    if (gone.length) {
      // The first one's sentence says what to do, and is the same for the others.
      const others = gone.length - 1
      const more = others ? ` So it is with ${others} more.` : ''
      notices.show(`${gone[0]!.problem}${more}`, { problem: true })
    }
  }

  return { uploads, share, add, dismiss, stopAll, tell }
})
