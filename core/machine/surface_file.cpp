#include "core/machine/surface_file.hpp"

#include <assimp/Importer.hpp>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>

namespace wexilum {
namespace {

constexpr double furthest = 1e7;           // mm
constexpr std::size_t stl_head = 84;       // bytes, with the count of faces
constexpr std::size_t stl_face = 50;       // bytes
constexpr std::size_t longest_line = 4096; // of a text file
constexpr const char* cure = "write the shape again as STL or OBJ";

Error bad(std::string message) { return {ErrorKind::value, std::move(message), {}, cure}; }

/// Whether the bytes are a binary STL file of the faces that it says.
bool is_binary_stl(std::string_view bytes)
{
    if (bytes.size() < stl_head) {
        return false;
    }
    std::uint32_t faces = 0;
    std::memcpy(&faces, bytes.data() + stl_head - sizeof faces, sizeof faces);
    return bytes.size() == stl_head + std::size_t(faces) * stl_face;
}

/// Lines of a text file; an Error where it is none.
Status check_text(std::string_view bytes)
{
    std::size_t line = 0;
    for (const char c : bytes) {
        line = c == '\n' ? 0 : line + 1;
        if (line > longest_line || (static_cast<unsigned char>(c) < ' ' && c != '\n' && c != '\r' && c != '\t')) {
            return bad("the file is neither text nor a binary STL file of the length that it says");
        }
    }
    return {};
}

/// Points and faces alone: materials would be other files.
std::string shape_of_obj(std::string_view bytes)
{
    std::string out;
    while (!bytes.empty()) {
        const std::size_t end = std::min(bytes.find('\n'), bytes.size());
        const std::string_view line = bytes.substr(0, end);
        if (line.starts_with("v ") || line.starts_with("f ")) {
            out.append(line).push_back('\n');
        }
        bytes.remove_prefix(std::min(end + 1, bytes.size()));
    }
    return out;
}

} // namespace

Result<Triangles> read_surface(std::string_view bytes, const std::string& name, double unit)
{
    const bool stl = name.ends_with(".stl") || name.ends_with(".STL");
    if (!stl && !name.ends_with(".obj") && !name.ends_with(".OBJ")) {
        return bad("a surface is a file that ends with .stl or .obj");
    }
    std::string text;
    if (!stl || !is_binary_stl(bytes)) {
        if (const Status status = check_text(bytes); !status) {
            return status.error();
        }
        if (stl && bytes.find("endsolid") == std::string_view::npos) {
            return bad("the STL file is cut short");
        }
        text = stl ? std::string(bytes) : shape_of_obj(bytes);
        bytes = text;
    }
    Assimp::Importer importer;
    importer.SetPropertyInteger("PP_SBP_REMOVE", aiPrimitiveType_POINT | aiPrimitiveType_LINE);
    const aiScene* scene = importer.ReadFileFromMemory(bytes.data(), bytes.size(),
                                                       aiProcess_Triangulate | aiProcess_JoinIdenticalVertices | aiProcess_SortByPType |
                                                           aiProcess_PreTransformVertices,
                                                       stl ? "stl" : "obj");
    if (scene == nullptr) {
        return bad(fmt::format("there is no surface in the file: {}", importer.GetErrorString()));
    }
    Triangles out;
    for (unsigned m = 0; m < scene->mNumMeshes; ++m) {
        const aiMesh& mesh = *scene->mMeshes[m];
        const auto first = std::uint32_t(out.points.size());
        if (out.faces.size() + mesh.mNumFaces > most_surface_faces) {
            return bad(fmt::format("the surface has more than {} triangles", most_surface_faces));
        }
        for (unsigned i = 0; i < mesh.mNumVertices; ++i) {
            const aiVector3D& p = mesh.mVertices[i];
            out.points.push_back(Vec3(p.x, p.y, p.z) * unit);
            if (!(out.points.back().cwiseAbs().maxCoeff() <= furthest)) {
                return bad("the surface has a point that is not a number, or beyond 1e7 mm");
            }
        }
        for (unsigned i = 0; i < mesh.mNumFaces; ++i) {
            const aiFace& face = mesh.mFaces[i];
            if (face.mNumIndices != 3 || *std::max_element(face.mIndices, face.mIndices + 3) >= mesh.mNumVertices) {
                continue;
            }
            const std::array<std::uint32_t, 3> corners{first + face.mIndices[0], first + face.mIndices[1], first + face.mIndices[2]};
            const Vec3 along = out.points[corners[1]] - out.points[corners[0]];
            if (along.cross(out.points[corners[2]] - out.points[corners[0]]).norm() > 0) { // of no area
                out.faces.push_back(corners);
            }
        }
    }
    if (out.faces.empty()) {
        return bad("there is no surface in the file");
    }
    return out;
}

Status load_surfaces(const FileSystem& files, const std::string& folder, std::vector<Body>& bodies)
{
    for (Body& body : bodies) {
        if (body.shape != Shape::surface || body.surface) {
            continue;
        }
        const auto at_place = [&](Error error) {
            error.message = fmt::format("the surface {} of the body \"{}\": {}", body.surface_file, body.id, error.message);
            error.place = body.place;
            return error;
        };
        const auto bytes = files.read_all(folder.empty() ? body.surface_file : folder + "/" + body.surface_file, most_surface_bytes);
        if (!bytes) {
            return at_place(bytes.error());
        }
        auto surface = read_surface(*bytes, body.surface_file, body.surface_unit);
        if (!surface) {
            return at_place(surface.error());
        }
        body.surface = std::make_shared<const Triangles>(std::move(*surface));
    }
    return {};
}

} // namespace wexilum
