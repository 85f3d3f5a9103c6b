// What the server tells of a picture: its size and the version that its tiles are asked for by.
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, sentence } from '../api/client'
import { queries } from '../api/queries'

/**
 * Follows a source of pictures. `shownAs` is what decides, beside the source's name, how it is seen; where
 * that changes the server is asked anew. What was seen last stays until the answer.
 */
export function usePicture(source: () => string | null, shownAs: () => unknown = () => null) {
  const query = useQuery(
    {
      queryKey: computed(() => ['picture', source(), shownAs()] as const),
      queryFn: ({ queryKey }) => api.picture(queryKey[1]!),
      enabled: computed(() => source() !== null),
      placeholderData: keepPreviousData,
      shallow: true,
    },
    queries,
  )
  const info = computed(() => (source() === null ? null : (query.data.value ?? null)))
  const problem = computed(() => (query.error.value ? sentence(query.error.value) : ''))
  return { info, problem }
}
