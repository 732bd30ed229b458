import { ActionIcon, Button, createTheme, Drawer, Kbd, Modal, NativeSelect, NumberInput, PasswordInput, SegmentedControl, Textarea, TextInput, Tooltip, type CSSVariablesResolver, type MantineColorsTuple } from '@mantine/core';

/** The one warm accent: for what the person is about to do. */
const ember: MantineColorsTuple = ['#fff4ec', '#fbe4d3', '#f4c6a4', '#eda671', '#e78a46', '#dd7229', '#c75e17', '#a64b0e', '#873c0b', '#6b2f08'];

/** True neutrals, so that colours of pictures can be judged. */
const neutral: MantineColorsTuple = ['#fafafa', '#f2f2f2', '#e6e6e6', '#d4d4d4', '#b0b0b0', '#8c8c8c', '#6b6b6b', '#4d4d4d', '#333333', '#1f1f1f'];
const dark: MantineColorsTuple = ['#e8e8e8', '#c9c9c9', '#a8a8a8', '#8a8a8a', '#565656', '#3d3d3d', '#2e2e2e', '#232323', '#1a1a1a', '#121212'];

export const fonts = {
  sans: "'Source Sans 3 Variable', 'Source Sans 3', sans-serif",
  mono: "'Atkinson Hyperlegible Mono', monospace",
};

export const theme = createTheme({
  primaryColor: 'ember',
  primaryShade: { light: 7, dark: 3 },
  autoContrast: true,
  luminanceThreshold: 0.3,
  colors: { ember, gray: neutral, dark },
  fontFamily: fonts.sans,
  fontFamilyMonospace: fonts.mono,
  fontSizes: { xs: '12px', sm: '13.5px', md: '15px', lg: '17px', xl: '20px' },
  defaultRadius: 3,
  headings: { fontFamily: fonts.sans, fontWeight: '600', sizes: { h1: { fontSize: '21px', lineHeight: '28px' }, h2: { fontSize: '15px', lineHeight: '22px' } } },
  components: {
    Button: Button.extend({ defaultProps: { size: 'xs', variant: 'default' } }),
    ActionIcon: ActionIcon.extend({ defaultProps: { variant: 'subtle', color: 'gray' } }),
    TextInput: TextInput.extend({ defaultProps: { size: 'xs' } }),
    PasswordInput: PasswordInput.extend({ defaultProps: { size: 'xs' } }),
    NumberInput: NumberInput.extend({ defaultProps: { size: 'xs', hideControls: true } }),
    NativeSelect: NativeSelect.extend({ defaultProps: { size: 'xs' } }),
    Textarea: Textarea.extend({ defaultProps: { size: 'xs' } }),
    SegmentedControl: SegmentedControl.extend({ defaultProps: { size: 'xs' } }),
    Drawer: Drawer.extend({ defaultProps: { transitionProps: { duration: 80 }, closeButtonProps: { 'aria-label': 'Close' } } }),
    Modal: Modal.extend({ defaultProps: { centered: true, transitionProps: { duration: 80 }, closeButtonProps: { 'aria-label': 'Close' } } }),
    Tooltip: Tooltip.extend({ defaultProps: { openDelay: 300, withArrow: false } }),
    Kbd: Kbd.extend({ defaultProps: { size: 'xs' } }),
  },
});

/** Colours by meaning; components use these names only. */
export const colours: CSSVariablesResolver = () => ({
  variables: { '--on-picture': '#ffffff' },
  light: {
    '--mantine-color-body': '#f7f7f7',
    '--mantine-color-text': '#1f1f1f',
    '--mantine-color-dimmed': '#5c5c5c',
    '--mantine-color-placeholder': '#6b6b6b',
    '--sheet': '#ffffff',
    '--mat': '#ececec',
    '--line': '#dcdcdc',
    '--line-strong': '#b5b5b5',
    '--quiet': '#5c5c5c',
    '--accent': '#a64b0e',
    '--accent-wash': '#fbeee3',
    '--on-accent': '#ffffff',
    '--hover': '#f0f0f0',
    '--paired': '#17694a',
    '--paired-strong': '#0b7a4e',
    '--contested': '#8a4fb8',
    '--loose': '#1f66a8',
    '--aside': '#666666',
    '--unusable': '#b3261e',
    '--key-wash': '#dcefe6',
    '--place-wash': '#fbe4d3',
    '--view-wash': '#e2e6f7',
    '--noise-wash': 'transparent',
  },
  dark: {
    '--mantine-color-body': '#161616',
    '--mantine-color-text': '#e8e8e8',
    '--mantine-color-dimmed': '#a8a8a8',
    '--mantine-color-placeholder': '#9a9a9a',
    '--sheet': '#1f1f1f',
    '--mat': '#2b2b2b',
    '--line': '#383838',
    '--line-strong': '#5c5c5c',
    '--quiet': '#a8a8a8',
    '--accent': '#eda671',
    '--accent-wash': '#3a2a1e',
    '--on-accent': '#1a1a1a',
    '--hover': '#2a2a2a',
    '--paired': '#6cc9a1',
    '--paired-strong': '#0b7a4e',
    '--contested': '#c79be8',
    '--loose': '#86b9ea',
    '--aside': '#a8a8a8',
    '--unusable': '#f2938c',
    '--key-wash': '#1d3a2e',
    '--place-wash': '#4a3020',
    '--view-wash': '#2a3152',
    '--noise-wash': 'transparent',
  },
});
