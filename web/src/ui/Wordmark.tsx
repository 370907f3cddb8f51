import classes from './ui.module.css';
import { wordmark as words } from './words';

export function Wordmark() {
  return (
    <span className={classes.wordmark}>
      <img src="/icon.svg" alt="" width="24" height="24" />
      <span className={classes.word}>{words.yuplet}</span>
    </span>
  );
}
