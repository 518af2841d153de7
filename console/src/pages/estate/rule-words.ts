// A rule's settings, as people say them.

import type { Api } from '../../api/call'
import { list, span } from '../../words/time'

type Settings = Api['SettingsView']

export function ruleWords(settings: Settings): { setting: string; words: string }[] {
  const said: { setting: string; words: string }[] = []
  const add = (setting: string, words: string) => said.push({ setting, words })
  if (settings.longest != null) add('longest', `${span(settings.longest)} at most`)
  if (settings.usual != null) add('usual', `${span(settings.usual)} usually`)
  if (settings.approval) {
    const approval = settings.approval
    add(
      'approval',
      approval.is === 'none'
        ? 'nobody need be asked'
        : `${approval.yes} yes from ${list(approval.approvers, 'or')} within ${span(approval.within)}`,
    )
  }
  if (settings.reason)
    add(
      'reason',
      settings.reason.is === 'required'
        ? `a reason of ${settings.reason.at_least} letters`
        : settings.reason.is === 'hidden'
          ? 'no reason'
          : 'a reason if one likes',
    )
  if (settings.ticket) {
    const form = 'pattern' in settings.ticket && settings.ticket.pattern ? ` ${settings.ticket.pattern}` : ''
    add(
      'ticket',
      settings.ticket.is === 'off'
        ? 'no ticket'
        : `${settings.ticket.is === 'required' ? 'a' : 'an optional'} ticket${form}`,
    )
  }
  if (settings.assurance != null) add('assurance', `a proof no older than ${span(settings.assurance)}`)
  if (settings.starts) {
    const ways = [
      settings.starts.at_yes && 'at the yes',
      settings.starts.at_time_within != null && `at a set time within ${span(settings.starts.at_time_within)}`,
      settings.starts.begin_within != null && `on begin within ${span(settings.starts.begin_within)}`,
    ].filter((way) => typeof way === 'string')
    add('starts', `starts ${list(ways, 'or')}`)
  }
  if (settings.lapse)
    add('lapse', settings.lapse === 'by-itself' ? 'only rights that the system ends by itself' : 'any right')
  return said
}
