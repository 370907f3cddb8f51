import { ColorPicker, ColorSwatch, Popover, TextInput, UnstyledButton } from '@mantine/core';
import { useState } from 'react';
import { colourField as words } from './words';

interface Props {
  label: string;
  value: string;
  onChange: (colour: string) => void;
}

/** A colour as #rrggbb, typed or picked; what is not one yet is not told to anybody. */
export function ColourField({ label, value, onChange }: Props) {
  const [text, setText] = useState(value);
  const say = (next: string) => {
    setText(next);
    if (isColour(next)) onChange(next);
  };
  return (
    <TextInput
      size="xs"
      label={label}
      maxLength={7}
      value={text}
      error={isColour(text) ? undefined : words.sixDigitsAfterLike2f6f8f}
      onChange={(event) => say(event.currentTarget.value)}
      leftSection={
        <Popover position="bottom-start" withinPortal>
          <Popover.Target>
            <UnstyledButton aria-label={words.pick(label.toLowerCase())}>
              <ColorSwatch size={18} color={value} />
            </UnstyledButton>
          </Popover.Target>
          <Popover.Dropdown>
            <ColorPicker
              value={value}
              onChange={say}
              saturationLabel={words.saturationAndBrightness}
              hueLabel={words.hue}
            />
          </Popover.Dropdown>
        </Popover>
      }
    />
  );
}

/** Red, green and blue as #rrggbb, and back. */
export const colourText = (colour: readonly number[]) =>
  `#${colour.map((one) => one.toString(16).padStart(2, '0')).join('')}`;
export const colourOf = (text: string) => [1, 3, 5].map((at) => Number.parseInt(text.slice(at, at + 2), 16));

const isColour = (text: string) => /^#[0-9a-f]{6}$/i.test(text);
