import type { ServiceOptions, Services } from '../services.ts';
import { type Connected, columns, connectBoth, emptyWorkbook, openServices, openWorld, type World } from './world.ts';

/** A product with its practice apps, new for each test. */
export interface Around {
  readonly world: World;
  /** Set anew by a test that lets a process end. */
  services: Services;
  readonly connected: Connected;
  /** Ends the server and starts it again on the same data. */
  reopen(more?: Partial<ServiceOptions>): Promise<void>;
}

/** Opens a product before each test of a file and closes it afterwards: an empty customer list, shop and shelf connected. */
export function productAroundEach(): Around {
  const around = {
    reopen: async (more?: Partial<ServiceOptions>) => {
      await around.services.close();
      around.services = await openServices(around.world, more);
    },
  } as { -readonly [Name in keyof Around]: Around[Name] };
  beforeEach(async () => {
    around.world = await openWorld();
    around.world.shelf.files.replace('customers.xlsx', await emptyWorkbook('Customers', columns), undefined);
    around.services = await openServices(around.world);
    around.connected = await connectBoth(around.world, around.services);
  });
  afterEach(async () => {
    await around.services.close();
    await around.world.close();
  });
  return around;
}
