import type { Report, StageReport } from '../api/types'

/** The report of one stage, with its own figures. */
export type StageOf<Name extends StageReport['stage']> = Extract<StageReport, { stage: Name }>

/** What a report says of one of its stages, if that was carried out. */
export function stageOf<Name extends StageReport['stage']>(
  report: Report | undefined,
  name: Name,
): StageOf<Name> | undefined {
  return report?.stages.find((stage): stage is StageOf<Name> => stage.stage === name)
}
