// Settings: systems, people and duties, and one's own sign-in.

import { useSearchParams } from 'react-router'
import { Sentence } from '../../parts/sections'
import { isAdministrator, useMe } from '../../parts/me'
import { Own } from './Own'
import { People } from './People'
import { Sources } from './Sources'
import { Systems } from './Systems'

const PARTS = { systems: 'Systems', people: 'People and duties', own: 'My sign-in' }
type Part = keyof typeof PARTS

/** What is one’s own, and what administrators set. */
export default function SettingsPage() {
  const me = useMe()
  const [search, setSearch] = useSearchParams()
  if (!me.data) return null
  const parts = (Object.keys(PARTS) as Part[]).filter((part) => part === 'own' || isAdministrator(me.data))
  const asked = search.get('part') as Part | null
  const part = asked && parts.includes(asked) ? asked : (parts[0] ?? 'own')
  return (
    <>
      <Sentence>
        {part === 'own'
          ? 'How you sign in.'
          : part === 'people'
            ? 'Who is known here, and their duties within Tempestas.'
            : 'The systems that are looked after.'}
      </Sentence>
      {parts.length > 1 && (
        <nav aria-label="Parts of the settings" className="mb-4 flex flex-wrap gap-1.5 border-b border-line">
          {parts.map((one) => (
            <button
              key={one}
              type="button"
              aria-current={one === part ? 'page' : undefined}
              onClick={() => setSearch({ part: one })}
              className={`-mb-px border-b-2 px-3 py-2 font-medium ${one === part ? 'border-sea text-sea' : 'border-transparent text-ink-2 hover:text-ink'}`}
            >
              {PARTS[one]}
            </button>
          ))}
        </nav>
      )}
      {part === 'systems' && <Systems />}
      {part === 'people' && (
        <div className="grid grid-cols-[minmax(0,1fr)] gap-4">
          <People />
          <Sources />
        </div>
      )}
      {part === 'own' && <Own me={me.data} />}
    </>
  )
}
