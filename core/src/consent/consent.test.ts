import fc from 'fast-check';
import { contactKey, contactKeys } from './contact.ts';
import { refusalOf } from './refused.ts';

describe('an address or a number as one that is the same is written', () => {
  test.each([
    ['Ada@Clay.Example', 'ada@clay.example'],
    ['  Ada Holm <ADA@clay.example> ', 'ada@clay.example'],
    ['ada+shop@clay.example', 'ada+shop@clay.example'],
    // The same letter in one piece and in two (Unicode NFC).
    ['jose\u0301@clay.example', 'jos\u00e9@clay.example'],
    ['01632 960 771', '+441632960771'],
    ['+44 1632 960771', '+441632960771'],
    ['', undefined],
    ['   ', undefined],
    [null, undefined],
  ])('%p is %p', (value, key) => expect(contactKey(value, 'GB')).toBe(key));

  test('several of them in one field, each once', () => {
    expect(contactKeys('a@clay.example, A@clay.example;\nb@clay.example', 'GB')).toEqual([
      'a@clay.example',
      'b@clay.example',
    ]);
  });

  test('a key is its own key, whatever it was made of', () => {
    fc.assert(
      fc.property(fc.oneof(fc.emailAddress(), fc.string(), fc.stringMatching(/^\+?[\d ()-]{5,16}$/)), (text) => {
        const key = contactKey(text, 'GB');
        if (key !== undefined) expect(contactKey(key, 'GB')).toBe(key);
      }),
    );
  });
});

describe('where a record says that somebody must not be contacted', () => {
  const fields = [
    { path: '/email', label: 'e-mail', type: 'email' as const },
    { path: '/accepts_marketing', label: 'accepts marketing', type: 'boolean' as const },
    { path: '/name', label: 'name', type: 'text' as const },
  ];
  const ada = { email: 'Ada@clay.example', accepts_marketing: true, name: 'Ada' };
  const about = (scope: Parameters<typeof refusalOf>[0]) => refusalOf(scope, () => fields, 'ada@clay.example', 'GB');

  test('one record that says no is enough, whatever the others say', () => {
    expect(about({ start: ada })).toBeUndefined();
    expect(about({ start: ada, card: { ...ada, accepts_marketing: false } })).toEqual({
      label: 'accepts marketing',
      value: 'no',
    });
  });

  test('a no of somebody else, and nothing said at all, keep nobody from anything', () => {
    expect(about({ card: { ...ada, email: 'ben@clay.example', accepts_marketing: false } })).toBeUndefined();
    expect(about({ card: { ...ada, accepts_marketing: null } })).toBeUndefined();
    expect(about({ card: {} })).toBeUndefined();
  });
});
