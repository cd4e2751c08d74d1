// What a program keeps of the memory that it frees.
#pragma once

namespace yolk {

/// Pictures that were freed make room for the next ones, instead of going back to the system: fresh pages must be
/// cleared, which costs as much as a pass of arithmetic over the picture. At most a sixteenth of the machine's memory
/// stays unused on top of the heap. For the first line of a main(), as it holds for the whole process.
void keepFreedMemory();

/// Gives back what is free now, from between the blocks in use, too: after a piece of long work, so that what the next
/// piece lays out otherwise does not add up. Costs the clearing of pages once more.
void giveBackFreedMemory();

} // namespace yolk
