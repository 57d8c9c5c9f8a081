#include "core/control/happening.hpp"

namespace wexilum {

void hand_to(const Happening& happening, ReplaySink& sink)
{
    switch (happening.kind) {
    case Happening::Kind::motion: sink.move(*happening.move); return;
    case Happening::Kind::cuts: sink.cuts(*happening.cuts); return;
    case Happening::Kind::dwell: sink.dwell(happening.block, happening.seconds); return;
    case Happening::Kind::wait: sink.wait(happening.block, happening.text); return;
    case Happening::Kind::stop: sink.stop(happening.block, happening.optional); return;
    case Happening::Kind::tool_change: sink.tool_change(happening.block, happening.tool); return;
    case Happening::Kind::message: sink.message(happening.block, happening.text); return;
    case Happening::Kind::call: sink.call(happening.block, happening.number, happening.count); return;
    case Happening::Kind::back: sink.back(happening.block); return;
    case Happening::Kind::loop: sink.loop(happening.block, happening.count); return;
    case Happening::Kind::loop_end: sink.loop_end(happening.block); return;
    case Happening::Kind::by_hand: sink.by_hand(happening.block, happening.mount, happening.readings); return;
    case Happening::Kind::end: sink.program_end(happening.block); return;
    }
}

} // namespace wexilum
