import { Button, NumberInput } from '@mantine/core';
import { useState } from 'react';
import type { Reading } from '../../api/rehearsals';
import classes from './TryOut.module.css';
import { planesFields as words } from './words';

/** How far planes without a manifest stand apart, and the camera before them. */
export function PlanesFields({ reading, onPlace }: { reading: Reading; onPlace: (reading: Reading) => void }) {
  const [step, setStep] = useState(reading.step ?? 100);
  const [distance, setDistance] = useState(reading.distance ?? 1000);
  const limits = { size: 'xs', min: 1, max: 100_000, clampBehavior: 'strict' } as const;
  return (
    <form
      className={classes.sheet}
      onSubmit={(event) => {
        event.preventDefault();
        onPlace({ way: 'planes', step, distance });
      }}
    >
      <NumberInput {...limits} label={words.stepPx} value={step} onChange={(value) => setStep(Number(value) || 1)} />
      <NumberInput
        {...limits}
        label={words.cameraPx}
        value={distance}
        onChange={(value) => setDistance(Number(value) || 1)}
      />
      <Button type="submit" size="xs">
        {words.set}
      </Button>
    </form>
  );
}
