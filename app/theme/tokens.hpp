// The colours of both themes as plain values, so that their contrast can be tested without a display.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>

namespace wexilum::app {

using Rgb = std::uint32_t; ///< 0xRRGGBB

/// What a thing's state is, shown by shape and word first, colour second.
enum class State { fits, margin, beyond, singular, close, contact, waits };
inline constexpr std::size_t state_count = 7;

struct Tokens {
    Rgb paper; ///< of the window
    Rgb panel; ///< what is read or typed in
    Rgb sunk;  ///< strips and heads
    Rgb line;
    Rgb ink;
    Rgb soft;
    Rgb faint;
    Rgb accent; ///< text and lines in verdigris
    Rgb wash;   ///< behind what is chosen
    Rgb fill;   ///< solid verdigris, under on_fill
    Rgb on_fill;
    Rgb comment; ///< of code
    std::array<Rgb, state_count> states;
    Rgb sky_top; ///< behind the machine
    Rgb sky_low;
    Rgb body; ///< of the machine
    Rgb edge;
};

inline constexpr Tokens light_tokens{0xF7F4EC,
                                     0xFFFDF8,
                                     0xEFEADD,
                                     0xDAD3C3,
                                     0x1E2630,
                                     0x55606B,
                                     0x62676D,
                                     0x1B6F62,
                                     0xD8EAE4,
                                     0x1F7A6C,
                                     0xFFFFFF,
                                     0x6A5420,
                                     {0x1B6F62, 0x855C12, 0xA8431C, 0x7A3E78, 0x64671A, 0xA61E36, 0x55606B},
                                     0xFFFDF8,
                                     0xEFEADD,
                                     0xD9D2C2,
                                     0x6B665A};
inline constexpr Tokens dark_tokens{0x171C22,
                                    0x1F262E,
                                    0x12161B,
                                    0x343D47,
                                    0xE8E4DA,
                                    0xA9B0B6,
                                    0xA0A7AE,
                                    0x6CC4B1,
                                    0x1E3833,
                                    0x5FB8A5,
                                    0x10201C,
                                    0xD0BA84,
                                    {0x6CC4B1, 0xD9A441, 0xF0A07A, 0xD4A8D0, 0xBFC15A, 0xF59AA8, 0xA9B0B6},
                                    0x232B34,
                                    0x171C22,
                                    0x6E6A60,
                                    0xC9C4B8};

/// The word of a state.
[[nodiscard]] const char* word_of(State state);

} // namespace wexilum::app
