// Bodies whose shape stands in a file of its own: STL (text or binary) and OBJ.
#pragma once

#include "core/base/result.hpp"
#include "core/base/world.hpp"
#include "core/machine/body.hpp"

#include <string_view>
#include <vector>

namespace wexilum {

inline constexpr std::size_t most_surface_bytes = 64 << 20;
inline constexpr std::size_t most_surface_faces = 1000000;

/// The triangles of a file's text or bytes, lengths times `unit` mm; `name` ends with .stl or .obj. Of an OBJ file only points and faces
/// count. An Error of kind value where there is no surface in it, where it is cut short, or where it has more than the faces above.
[[nodiscard]] Result<Triangles> read_surface(std::string_view bytes, const std::string& name, double unit);

/// Reads the surfaces that bodies name, from the project's folder. An Error names the body's place.
[[nodiscard]] Status load_surfaces(const FileSystem& files, const std::string& folder, std::vector<Body>& bodies);

} // namespace wexilum
