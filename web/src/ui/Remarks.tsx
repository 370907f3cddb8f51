import { Button, Text, Textarea } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { answerRemark, type Remark, useRemarks } from '../api/calls';
import form from './form.module.css';
import classes from './Remarks.module.css';
import { day } from './units';
import { useSubmit } from './useSubmit';
import { remarks as words } from './words';

interface Props {
  illustration: number;
  canEdit: boolean;
  /** Choose a part of the illustration, where it is still there. */
  onShow: (part: string) => void;
  /** Only those that nobody has answered. */
  isOpenOnly?: boolean;
}

/** What receivers said of parts, beside what else there is to look at; nothing where nobody said anything. */
export function Remarks({ isOpenOnly = false, ...props }: Props) {
  const remarks = useRemarks(props.illustration);
  const found = (remarks.data ?? []).filter((one) => !(isOpenOnly && one.answer));
  if (found.length === 0) return null;
  return (
    <section
      className={isOpenOnly ? `${form.form} ${classes.remarks}` : classes.remarks}
      aria-label={words.remarksFromRecipients}
    >
      <h3>{words.remarksFromRecipientsFound(found.length)}</h3>
      <ul>
        {found.map((remark) => (
          <RemarkItem key={remark.id} remark={remark} {...props} />
        ))}
      </ul>
    </section>
  );
}

function RemarkItem({
  remark,
  illustration,
  canEdit,
  onShow,
}: {
  remark: Remark;
  illustration: number;
  canEdit: boolean;
  onShow: (part: string) => void;
}) {
  const queries = useQueryClient();
  const [text, setText] = useState('');
  const { submit, error, isWaiting } = useSubmit(async () => {
    await answerRemark(remark.id, text);
    await queries.invalidateQueries({ queryKey: ['remarks', illustration] });
  });
  return (
    <li data-remark={remark.path}>
      <strong>{remark.path}</strong>{' '}
      <button type="button" className={classes.link} onClick={() => onShow(remark.part)}>
        {words.show}
      </button>
      <p className={classes.said}>{remark.text}</p>
      <p className={classes.facts}>
        {remark.to}
        {remark.number !== null && words.ofNo(remark.number)}, {day(remark.at)}
      </p>
      {remark.answer ? (
        <p className={classes.said}>{words.answered(remark.answered_by ?? words.somebody, remark.answer)}</p>
      ) : (
        canEdit && (
          <form onSubmit={submit}>
            <Textarea
              size="xs"
              aria-label={words.answerToTheRemarkOn(remark.path)}
              placeholder={words.answer}
              autosize
              required
              maxLength={1000}
              value={text}
              onChange={(event) => setText(event.currentTarget.value)}
            />
            <div role="alert">{error && <Text c="var(--mantine-color-error)">{error}</Text>}</div>
            <Button type="submit" size="compact-xs" variant="default" mt={4} loading={isWaiting}>
              {words.answer}
            </Button>
          </form>
        )
      )}
    </li>
  );
}
