// One file to the server with progress. `fetch` tells no upload progress, so this is a plain request.
import type { Added, Problem } from './types'

export function upload(
  shoot: number,
  file: File,
  progress: (share: number) => void,
): { done: Promise<Added>; stop: () => void } {
  const request = new XMLHttpRequest()
  const done = new Promise<Added>((resolve, reject) => {
    request.open('POST', `/api/shoots/${shoot}/upload?name=${encodeURIComponent(file.name)}`)
    request.upload.onprogress = (e) => e.lengthComputable && progress(e.loaded / e.total)
    request.onload = () => {
      try {
        const answer = JSON.parse(request.responseText)
        if (request.status < 300) resolve(answer as Added)
        else reject(new Error((answer as Problem).detail))
      } catch {
        reject(new Error(`${file.name}: the server refused the file (${request.status}).`))
      }
    }
    request.onerror = () => reject(new Error(`${file.name}: the connection broke; send it again.`))
    request.onabort = () => reject(new Error(`${file.name}: stopped.`))
    request.send(file)
  })
  return { done, stop: () => request.abort() }
}
