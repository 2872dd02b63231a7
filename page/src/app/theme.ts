import '@fontsource-variable/atkinson-hyperlegible-mono';
import '@fontsource-variable/atkinson-hyperlegible-next';
import { createSystem, defaultConfig, defineConfig } from '@chakra-ui/react';

const text = "'Atkinson Hyperlegible Next Variable', sans-serif";
const mono = "'Atkinson Hyperlegible Mono Variable', monospace";

/** Paper, slate and chalk. Colour is information only. */
export const system = createSystem(
  defaultConfig,
  defineConfig({
    cssVarsPrefix: 'yard',
    globalCss: {
      'html, body, #root': { height: '100%' },
      body: { bg: 'paper', color: 'slate', fontSize: '14px', lineHeight: '1.4' },
      '.figures': { fontFamily: 'mono', fontVariantNumeric: 'tabular-nums' },
      ':focus-visible': { outline: '2px solid {colors.chalk.blue}', outlineOffset: '2px' },
      '*': {
        '@media (prefers-reduced-motion: reduce)': {
          transitionDuration: '0s !important',
          animationDuration: '0s !important',
        },
      },
    },
    theme: {
      keyframes: { late: { 'from, to': { visibility: 'hidden' } } },
      tokens: {
        fonts: { body: { value: text }, heading: { value: text }, mono: { value: mono } },
        colors: {
          paper: { DEFAULT: { value: '#ECECE9' }, raised: { value: '#F8F8F6' } },
          line: { value: '#D2D2CD' },
          slate: { DEFAULT: { value: '#262B2F' }, soft: { value: '#3B4247' }, quiet: { value: '#5C646A' } },
          surround: { value: '#A6A6A6' },
          chalk: {
            blue: { value: '#2C5AA0' },
            pink: { value: '#C2386F' },
            yellow: { value: '#C98A00' },
            green: { value: '#2B7F52' },
          },
        },
        radii: { yard: { value: '4px' } },
        shadows: { yard: { value: '0 1px 3px rgba(38,43,47,.28)' } },
      },
      semanticTokens: {
        colors: {
          blue: {
            solid: { value: '{colors.chalk.blue}' },
            contrast: { value: '#FFFFFF' },
            fg: { value: '{colors.chalk.blue}' },
            muted: { value: '#C9D5E8' },
            subtle: { value: '#E4EAF3' },
            emphasized: { value: '#A9BEDD' },
            focusRing: { value: '{colors.chalk.blue}' },
            border: { value: '#A9BEDD' },
          },
        },
      },
    },
  }),
);
