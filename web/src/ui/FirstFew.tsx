import { Fragment, useState } from 'react';
import classes from './ui.module.css';
import { firstFew as words } from './words';

/** So many of a kind are seen at once. */
const FEW = 3;

interface Props<T> {
  items: readonly T[];
  keyOf: (item: T) => string;
  children: (item: T) => React.ReactNode;
}

/** List items of one kind: the first few, and all of them a click away. */
export function FirstFew<T>({ items, keyOf, children }: Props<T>) {
  const [isOpen, setOpen] = useState(false);
  const shown = isOpen || items.length <= FEW + 1 ? items : items.slice(0, FEW);
  return (
    <>
      {shown.map((item) => (
        <Fragment key={keyOf(item)}>{children(item)}</Fragment>
      ))}
      {items.length > FEW + 1 && (
        <li>
          <button type="button" className={classes.more} aria-expanded={isOpen} onClick={() => setOpen(!isOpen)}>
            {isOpen ? words.showOnlyTheFirst : words.showAll(items.length)}
          </button>
        </li>
      )}
    </>
  );
}
