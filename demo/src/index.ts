export { demoCustomers } from './customers.ts';
export { customersOntoTheList } from './workflows.ts';
