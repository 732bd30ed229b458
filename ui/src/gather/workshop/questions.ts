import { queryOptions } from '@tanstack/react-query';
import {
  lookAtPage,
  measurePictures,
  pagePictures,
  proposeSelectors,
  tryRecipe,
  type Recipe,
} from '../../client';

const keep = 300_000;

/**
 * Questions to the workshop. They change nothing, so their answers may be kept; recipes are too long for an
 * address, so they are posted.
 */
export const pageOptions = (address: string) =>
  queryOptions({
    queryKey: ['page', address],
    enabled: address.startsWith('http'),
    retry: false,
    staleTime: keep,
    queryFn: async ({ signal }) => (await lookAtPage({ body: { address }, signal, throwOnError: true })).data,
  });

export const trialOptions = (address: string, recipe: Recipe) =>
  queryOptions({
    queryKey: ['trial', address, recipe],
    enabled: address.startsWith('http'),
    retry: false,
    staleTime: keep,
    queryFn: async ({ signal }) =>
      (await tryRecipe({ body: { address, recipe }, signal, throwOnError: true })).data,
  });

export const measureOptions = (addresses: string[]) =>
  queryOptions({
    queryKey: ['measure', addresses],
    enabled: addresses.length > 0,
    staleTime: keep,
    queryFn: async ({ signal }) =>
      (await measurePictures({ body: { addresses }, signal, throwOnError: true })).data,
  });

export const proposalOptions = (address: string, element: number, many: boolean) =>
  queryOptions({
    queryKey: ['selectors', address, element, many],
    staleTime: keep,
    queryFn: async ({ signal }) =>
      (await proposeSelectors({ body: { address, element, many }, signal, throwOnError: true })).data,
  });

export const picturesOptions = (address: string) =>
  queryOptions({
    queryKey: ['pictures', address],
    enabled: address.startsWith('http'),
    retry: false,
    staleTime: keep,
    queryFn: async ({ signal }) =>
      (await pagePictures({ body: { address }, signal, throwOnError: true })).data,
  });
