import { edgesIn, type Sight } from './nearEdges'
import { buffersOf, refined, type Corners } from './refine'
import { shared, type Shared } from './shared'

/** A mesh to be refined beside the page: it takes tenths of seconds. */
export interface Order {
  corners: Corners
  sight: Sight
  most: number
}
const here = self as unknown as {
  onmessage: (event: MessageEvent<Order>) => void
  postMessage: (message: Shared, transfer: Transferable[]) => void
}
here.onmessage = ({ data: { corners, sight, most } }) => {
  const made = shared(refined(corners, Math.min(sight.finest, sight.usual), most, edgesIn(sight)))
  here.postMessage(made, [...buffersOf(made), made.index.buffer as ArrayBuffer])
}
