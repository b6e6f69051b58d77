import { useItem } from '../api/queries.ts';
import { Drawer } from './Drawer.tsx';
import { ItemStory } from './ItemStory.tsx';
import { Loading } from './Messages.tsx';

/** Everything that happened to one record in one run, over the page one is on; closed where no item is named. */
export function ItemDrawer({
  itemId,
  zone,
  onClose,
}: {
  readonly itemId: string;
  readonly zone: string;
  readonly onClose: () => void;
}) {
  const item = useItem(itemId).data;
  return (
    <Drawer title={item?.title ?? 'Record'} isOpen={itemId !== ''} onClose={onClose} isWide>
      {item ? (
        <ItemStory key={`${item.id}${item.state}${item.message}`} item={item} zone={zone} />
      ) : (
        <Loading what="the record" />
      )}
    </Drawer>
  );
}
