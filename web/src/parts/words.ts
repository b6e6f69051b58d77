/** The words of ours on screen, each with what it means in one line: for the hints where they stand and for the page of words. */
export const words = {
  workflow: 'The whole thing: where records come from, what is done with them, where they go.',
  brief: 'The workflow written out as plain sentences.',
  start: 'What brings records in, and from when.',
  'from when': 'Where in time a workflow begins: what came before is already known and not sent.',
  step: 'One sentence of the brief after the start.',
  place: 'Where in an app: company and table, file and tab.',
  sample: 'A real record kept to build and rehearse with. Those on the sheet are its columns.',
  sheet: 'The table beside a step: every value, computed for every sample.',
  tidy: 'A clean-up on the way: spaces, capital letters, telephone numbers, dates.',
  condition: 'What a record must meet. One that doesn’t is left out.',
  lookup: 'Finding the matching record in another app.',
  way: 'One of the ways to find a match, tried in their order, exact ones first.',
  'matched by': 'The field that recognises a record that is there already.',
  'access key': 'What signs Golden Relay in to an app. It is stored sealed.',
  link: 'The remembered pair: this record here is that record there.',
  rehearsal: 'A run that writes nothing and shows everything.',
  run: 'One execution: a check that found something, or one record sent for real.',
  'in the source': 'Records the source gave for the time and the conditions of the start.',
  'already known': 'Was there before, or came before this version. It is not sent.',
  'our own': 'Workflows of ours wrote it there. It starts nothing unless that is chosen under “What starts it”.',
  'taken in': 'Records that this workflow has begun to process.',
  delivered: 'Every step that applies has ended, and every write is confirmed, read back where the app allows it.',
  'left out': 'A condition was not met.',
  'needs you': 'A person has to look: an unclear match, a refused value, an unsure write, a broken connection.',
  waiting: 'It continues by itself: after a time, an event, or when the app answers again.',
  wait: 'A step that lets time pass. When it is over, the record is read again.',
  'working calendar': 'Hours of each weekday and days off, by which working hours and days are counted.',
  due: 'What a record that waits gets, and when.',
  'stop link, continue link': 'They end a record’s wait from its mail: nothing more comes, or it comes now.',
  'on its way': 'It is being processed now.',
  dismissed: 'Put aside by a person, with a reason.',
  cancelled: 'Stopped by a person. It can be resumed.',
  repeat: 'The same event a second time. It counts once.',
  'as sent, altered, cut': 'What reading a written record back has shown.',
  'golden record': 'The one best version of a customer, made from duplicates.',
  'practice apps': 'Small invented apps to practise with. They run on this machine only.',
} as const;

export type Word = keyof typeof words;

/** What a label means, where it is one of our words; undefined for any other. */
export const meaningOf = (label: string): string | undefined => (words as Record<string, string>)[label.toLowerCase()];
