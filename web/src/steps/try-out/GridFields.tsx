import { Button, NumberInput } from '@mantine/core';
import { useState } from 'react';
import type { Reading } from '../../api/rehearsals';
import classes from './TryOut.module.css';
import { gridFields as words } from './words';

/** How many columns and rows of frames a sheet has. */
export function GridFields({ reading, onCut }: { reading: Reading; onCut: (reading: Reading) => void }) {
  const [columns, setColumns] = useState(reading.columns ?? 1);
  const [rows, setRows] = useState(reading.rows ?? 1);
  return (
    <form
      className={classes.sheet}
      onSubmit={(event) => {
        event.preventDefault();
        onCut({ way: 'sheet', columns, rows });
      }}
    >
      <NumberInput
        size="xs"
        label={words.columns}
        min={1}
        max={4096}
        value={columns}
        onChange={(value) => setColumns(Number(value) || 1)}
      />
      <NumberInput
        size="xs"
        label={words.rows}
        min={1}
        max={4096}
        value={rows}
        onChange={(value) => setRows(Number(value) || 1)}
      />
      <Button type="submit" size="xs">
        {words.cut}
      </Button>
    </form>
  );
}
