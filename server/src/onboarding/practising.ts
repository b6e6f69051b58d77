import { type Filling, isPlaced, type WorkflowContent } from '@golden/core';
import { copyBetween } from '../building/copies.ts';
import { usedBy } from '../building/used-by.ts';
import type { Services } from '../services.ts';

/** The workflows of practising stand in a folder of this name. */
const folder = 'Practice';

/**
 * Starts the practice apps, connects them, and makes a first draft between two of them.
 * @returns the draft's id
 * @throws PracticeProblem when they can't be started
 */
export async function startPractising(services: Services): Promise<string> {
  const { practice, connections, workflows } = services;
  const keys = await practice.start();
  const made: Record<string, string> = {};
  for (const { app, name, key, settings } of keys) {
    const address = practice.addresses[app] ?? '';
    const { id } = await connections.add({ app, name, settings: { ...settings, address }, key });
    made[app] = id;
  }
  const content = await copyBetween(
    services,
    { connection: made['shop_counter'] ?? '', path: ['customers'], labels: ['customers'] },
    {
      connection: made['workbook_shelf'] ?? '',
      path: ['Customer list.xlsx', 'Customers'],
      labels: ['Customer list.xlsx', 'Customers'],
    },
    'in_step',
  );
  return (await workflows.add(withPhonesOf('GB', content), folder)).id;
}

/** The merchant is in Britain, wherever this browser is: numbers without a country code are British ones. */
function withPhonesOf(country: string, content: WorkflowContent): WorkflowContent {
  const british = (filling: Filling): Filling =>
    filling.kind === 'field'
      ? { ...filling, tidies: filling.tidies?.map((tidy) => (tidy.kind === 'phone' ? { ...tidy, country } : tidy)) }
      : filling;
  return {
    ...content,
    steps: content.steps.map((step) =>
      isPlaced(step)
        ? {
            ...step,
            mapping: Object.fromEntries(Object.entries(step.mapping).map(([path, one]) => [path, british(one)])),
          }
        : step,
    ),
  };
}

/** What removing the practice apps takes along. */
export interface PracticeUse {
  readonly connections: readonly { readonly id: string; readonly name: string }[];
  readonly workflows: readonly { readonly id: string; readonly name: string; readonly isOn: boolean }[];
}

/** The connections that lead to practice apps, and the workflows that use them. */
export async function practiceUse({ practice, connections, workflows }: Services): Promise<PracticeUse> {
  const addresses = new Set(Object.values(practice.addresses));
  const ours = (await connections.list()).filter((one) => addresses.has(one.settings['address'] ?? ''));
  const users = new Map<string, PracticeUse['workflows'][number]>();
  for (const { id } of ours)
    for (const user of await usedBy(workflows, id))
      users.set(user.id, { id: user.id, name: user.name, isOn: (await workflows.get(user.id)).isOn });
  return { connections: ours.map(({ id, name }) => ({ id, name })), workflows: [...users.values()] };
}

/** Switches off and removes what uses the practice apps, their connections, and the apps with their data. */
export async function stopPractising(services: Services): Promise<void> {
  const { practice, connections, workflows, engine } = services;
  const use = await practiceUse(services);
  for (const { id, isOn } of use.workflows) {
    if (isOn) await engine.switchOff(id);
    await workflows.remove(id);
  }
  for (const { id } of use.connections) await connections.remove(id);
  practice.remove();
}
