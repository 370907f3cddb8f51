import classes from './ui.module.css';

/** A step's own page beside the pile; it scrolls by itself. */
export function Panel({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region must be reachable by keyboard
    <section className={classes.panel} aria-label={title} tabIndex={0}>
      {/* The line of steps and their pages say it to those who see them. */}
      <h2 className={classes.unseen}>{title}</h2>
      {children}
    </section>
  );
}
