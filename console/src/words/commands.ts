// Refusals name the client's commands; the console says where the same is found in it.

interface Place {
  label: string
  to?: string
}

/** By the command's first words, the longer before the shorter. */
const PLACES: [string, Place][] = [
  ['drift', { label: 'Standing', to: '/standing' }],
  ['undo', { label: 'Standing', to: '/standing' }],
  ['convert', { label: 'Standing', to: '/standing' }],
  ['standing', { label: 'Standing', to: '/standing' }],
  ['eligible wishes', { label: 'Answer', to: '/answer' }],
  ['eligible', { label: 'Ask', to: '/ask' }],
  ['grants', { label: 'Now', to: '/' }],
  ['alarms', { label: 'Now', to: '/' }],
  ['stop list', { label: 'Stop' }],
  ['give-back', { label: 'Give back' }],
  ['terms', { label: 'Estate', to: '/estate' }],
  ['targets accept', { label: 'Settings', to: '/settings' }],
  ['targets set', { label: 'Settings', to: '/settings' }],
  ['targets', { label: 'Estate', to: '/estate' }],
  ['people', { label: 'Settings', to: '/settings' }],
  ['sign-ins', { label: 'Settings', to: '/settings' }],
  ['sign-in', { label: 'Sign in' }],
  ['me', { label: 'Settings', to: '/settings' }],
  ['ledger', { label: 'Record', to: '/record' }],
]

/** Where the console does what a command of the client does; nothing for what is no command. */
export function placeOf(command: string): Place | undefined {
  const words = /^tempestas (.*)$/.exec(command)?.[1]
  return words === undefined ? undefined : PLACES.find(([first]) => words.startsWith(first))?.[1]
}
