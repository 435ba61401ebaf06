// What each control of the bench does, in a sentence, beside what it is called. Those that
// change with what is in hand say it in their title instead.

/** By accessible name, without the key in brackets. A name that ends in * stands for all that begin so. */
const said: Record<string, string> = {
  // The head of the bench.
  Undo: 'Takes back the last change, however long ago it was made.',
  Redo: 'Makes again what was taken back.',
  'All actions and keys': 'Every action with its key, to be searched.',
  Deliver: 'Writes the shot, or a part of it, with its covers, and proves what was written.',
  'Light look': 'A light look for the bench and review; lists have their own.',
  'Dark look': 'A dark look for the bench and review; lists have their own.',

  // The timeline.
  'Stills along the timeline': 'What the shot shows, above the rows; a click goes there.',

  // Outline.
  Box: 'Drag from corner to corner over what must be hidden.',
  Ellipse: 'Drag from corner to corner of what must be hidden.',
  Corners: 'Click the four corners of a flat thing, in order around it.',
  Path: 'Click knot after knot; drag for a curve; click the first again to close.',
  'Fit again': 'The next drawing puts the outline where it belongs on this frame.',
  'Add outline': 'The next drawing is one more outline of the same cover.',
  'This frame': 'A change is keyed here; other keys stay.',
  'Around here': 'A change fades out to both sides.',
  'From here on': 'A change holds from here to the end of the span.',
  'Whole span': 'A change moves all keys alike.',
  'Centre across': 'Where the middle lies, from the left edge of the picture.',
  'Centre down': 'Where the middle lies, from the top of the picture.',
  Width: 'Of the box around the cover.',
  Height: 'Of the box around the cover.',
  Turn: 'Clockwise from how it was drawn.',
  'Free corners': 'The box becomes four corners that are moved one by one.',
  'To path': 'The outline becomes a path with knots and curves.',
  'Hide all but the outline': 'What lies outside is hidden, and the inside shows.',
  'Key only what is changed': 'Place, turn and size get keys of their own.',
  Grow: 'Makes the outline larger on all sides.',
  Soften: 'How wide the edge fades.',
  'Soften across': 'How wide the edge fades to left and right.',
  'Soften down': 'How wide the edge fades above and below.',
  'Soft edge': 'Outside keeps all of the outline hidden.',
  'Duplicate this cover': 'The same cover with its motion, for another item.',
  'Remove this cover': 'The item stays in the list.',

  // The transport.
  'Previous key': 'Goes to the key before this frame.',
  'Next key': 'Goes to the key after this frame.',
  'Previous frame': 'One frame back.',
  'Next frame': 'One frame on.',
  Play: 'Plays from here; again to pause.',
  Pause: 'Stops on this frame.',
  Loop: 'Playing begins anew at the end of the span.',
  'Span begins here': 'Before this frame the cover hides nothing.',
  'Span ends here': 'After this frame the cover hides nothing.',
  'Begins here': 'Before this frame the cover hides nothing.',
  'Ends here': 'After this frame the cover hides nothing.',
  'What is shown': 'The concealed picture, the clean one, the matte, or two beside each other.',
  Overlays: 'Outlines, handles and labels on the picture.',
  Steady: 'The picture moves so that the cover rests: what slips is seen at once.',
  Fit: 'All of the picture.',
  '100 %': 'One pixel of the picture for each of the screen.',
  '200 %': 'Two pixels of the screen for each of the picture.',
  '400 %': 'Four pixels of the screen for each of the picture.',
  'Zoom to the item': 'The cover as large as suits it.',
  'Frame or timecode to go to': 'A frame number, a timecode, or +25 and -25 from here.',

  // The sound.
  'Sound off': 'Pictures play and step without sound.',
  'Sound on': 'Sound plays with the pictures, at every speed and backwards.',
  'Level of the sound': 'How loud it is here; deliveries stay as they are.',
  'Sound track that is heard': 'And drawn below the ruler.',
  'Mark a passage of the sound': 'A second around this frame, in which something said is hidden.',
  'Passage*': 'A stretch of the sound that is treated; opens its card.',
  'In the sound*': 'A stretch of the sound that is treated; opens its card.',
  Begins: 'Where the passage begins, in frames; parts of one too.',
  Ends: 'Where the passage ends, in frames; parts of one too.',
  'Fade beyond': 'On each side outside of the passage, so that all of it is hidden.',
  Pitch: 'Of the tone.',
  'Switched on': 'Switched off, the passage is kept and changes nothing.',

  // Follow.
  Track: 'Follows the surface through the span, both ways from this frame.',
  'It moves by': 'How the surface may change: the less, the steadier.',
  Compare: 'What of the picture is compared from frame to frame.',
  'Draw surface': 'Follow something else than the outline that moves with it.',
  'Set points': 'Click points that move with it, where it has no flat surface.',
  'Shared tracks, files': 'Ride on another track, or read and write files.',
  'Other attempts, sharing, hand keys': 'Other tracks of it, files, or keys instead of the track.',
  'Path of the centre': 'Draws where the middle goes; its points can be dragged.',
  'Surface on the picture': 'Draws what is followed, in the form of how well it is known.',
  'Add a key': 'Keys the cover as it lies here.',
  Even: 'From this key it moves evenly to the next.',
  Held: 'From this key it rests until the next.',
  Eased: 'From this key it sets off and arrives softly.',
  Copy: 'Copies the keys that are picked.',
  Paste: 'The copied keys, the first at this frame.',
  'Paste onto all keys': 'What was copied replaces every key.',
  Remove: 'Removes the keys that are picked, or the one here.',
  'It fits: on to*': 'Enters that the cover is right here, and goes where most is not looked at.',
  'It fits': 'Enters that the cover is right here.',
  'All looked at': 'Every frame was looked at since the last change.',
  'Track backward*': 'Goes on from this frame towards the beginning.',
  'Track forward*': 'Goes on from this frame towards the end.',
  'Track the span again': 'Follows it anew between its anchors.',
  'Put right at*': 'Drag the surface to where it belongs; then make that an anchor.',
  'Tolerance, px': 'How far the keys may be off the track.',
  'Turn into hand keys': 'The track is replaced by keys that can be changed one by one.',
  'Remove the anchor*': 'Both its sides are tracked again without it.',

  'Cover it': 'Makes it an item with a cover, a draft, that is followed through the shot.',
  'It needs none': 'It is not offered again in this programme.',
  'Yes to this draft': 'The cover is yours from now on; any change of it says so too.',

  // Hold out.
  'Find what is in front': 'Looks for what passes before the surface; nothing is held out until you accept it.',
  'Draw what is in front*': 'An outline of what passes, keyed like a cover.',

  Accept: 'What was found here is held out.',
  'Back to it': 'What was found here is not held out any more.',
  'Look again': 'Looks once more, with these settings.',
  'On the whole stretch, carried along': 'The brush holds for the stretch, and moves with the surface.',
  'Before all covers of the shot': 'It passes before every cover, not this one alone.',
  Brush: 'How wide the brush is.',
  Sensitivity: 'The higher, the less must differ to count as in front.',
  'Smallest area': 'What is smaller is left out.',
  'Edge width': 'How softly it ends.',

  // Conceal.
  'House style': 'How items of this kind are hidden, kept in one place for all shots.',
  Blur: 'Softens until nothing can be read.',
  Mosaic: 'Even cells; on a track they ride with the surface.',
  Fill: 'One colour.',
  Dim: 'Darker or lighter; hides nothing by itself.',
  Surface: 'The surface around it is drawn over it.',
  Patch: 'A picture laid over it.',
  Sigma: 'How far the blur reaches, both ways.',
  'Sigma across': 'How far the blur reaches to left and right.',
  'Sigma down': 'How far the blur reaches above and below.',
  'Cell across': 'Width of a cell.',
  'Cell down': 'Height of a cell.',
  Cell: 'How large a cell is.',
  Cells: 'Squares or hexagons.',
  'Grid rides with the surface': 'The cells move with what is followed, so that no letter gives itself away.',
  'Cells ride with the surface': 'The cells move with what is followed, so that no letter gives itself away.',
  Graphic: 'The picture that is laid over it.',
  'Graphic file': 'A picture, brought into the document.',
  'Give them this treatment': 'To the covers that are ticked.',
  'Name of the house style': 'Found by it in every shot.',
  Letters: 'Height of the letters.',
  Strength: 'How much of the treatment is mixed in.',
  Opacity: 'Below 100 % the original shows through.',
  'Add a treatment': 'One more, laid over those before.',
  'Compare with another treatment': 'Both are shown side by side; the document stays as it is until you choose.',
  'To other covers': 'Gives these treatments, or the motion, to others.',
  'Save as a house style': 'These treatments under a name, for all shots of the programme.',
  'Label in review copies': 'A text that follows the cover in review copies alone.',
  'Text of the label': 'Shown in review copies, never in a master.',
  'Ring around it': 'A ring around the item in review copies.',
  'Switch the cover off': 'It hides nothing until it is switched on again.',
  'Switch the cover on': 'It hides again.',
  'Take the motion of': 'The cover moves as another one does.',

  // Check.
  'Check now': 'Checks what has changed at once, before anything else.',
  'Waive with a reason': 'The finding may stand; the report says why and by whom.',
  'Ready for review': 'Hands the item to the reviewer.',
  'Back to work': 'Takes it back from the reviewer.',

  // The timeline.
  Tracks: 'Tracks and labels of this shot, as things of their own.',
  'Tracks and labels': 'As things of their own: named, trimmed, removed.',
  'Close the guide': 'It comes again with its key.',
  Larger: 'The strip twice as large.',
  Difference: 'Grey where the surface looks as on its reference: what slips or changes stands out.',
  'Marker at*': 'Goes to the frame, and shows the note.',
  'Note of the marker': 'Kept with the shot; in no picture.',
  'Step*': 'Shows this step’s card.',
  'Key at frame*': 'Drag to move it; Shift-click to pick several.',
  'Frame*': 'Goes to this frame.',
};

const starred = Object.entries(said)
  .filter(([k]) => k.endsWith('*'))
  .map(([k, v]) => [k.slice(0, -1), v] as const);

/** The name and the key in brackets after it. */
export function parted(name: string): { name: string; key: string } {
  const m = /^(.*?)\s*\(([^()]+)\)$/.exec(name.trim());
  return m ? { name: m[1]!, key: m[2]! } : { name: name.trim(), key: '' };
}

/** What a control of that name does; nothing where nobody has said. */
export function hint(name: string): string {
  const plain = parted(name).name.replace(/^[▸▾]\s*/, '');
  if (said[plain]) return said[plain];
  // "Grow: not keyed; key it here", "Blur 1 is on": the thing's own, and what it is of.
  const keyed = /^(.*): (not keyed|keyed, no key here|key here);/.exec(plain);
  if (keyed) return `Keys ${keyed[1]!.toLowerCase()} on this frame, or takes that key away.`;
  if (/ is on$/.test(plain)) return 'Switched off, it is kept and does nothing.';
  return starred.find(([k]) => plain.startsWith(k))?.[1] ?? '';
}
