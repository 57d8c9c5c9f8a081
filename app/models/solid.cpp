#include "app/models/solid.hpp"

#include "core/base/units.hpp"

#include <cmath>

namespace wexilum::app {
namespace {

using Eigen::Vector3f;

constexpr int sides = 48;

void quad(Solid& out, const Vector3f& a, const Vector3f& b, const Vector3f& c, const Vector3f& d, const Vector3f& normal)
{
    for (const Vector3f* corner : {&a, &b, &c, &a, &c, &d}) {
        out.triangles.push_back({*corner, normal});
    }
}

void edge(Solid& out, const Vector3f& a, const Vector3f& b)
{
    out.edges.push_back(a);
    out.edges.push_back(b);
}

Solid box(const Vec3& size)
{
    Solid out;
    const float x = float(size.x() / 2);
    const float y = float(size.y() / 2);
    const float z = float(size.z());
    const Vector3f p[8] = {{-x, -y, 0}, {x, -y, 0}, {x, y, 0}, {-x, y, 0}, {-x, -y, z}, {x, -y, z}, {x, y, z}, {-x, y, z}};
    quad(out, p[0], p[3], p[2], p[1], {0, 0, -1});
    quad(out, p[4], p[5], p[6], p[7], {0, 0, 1});
    quad(out, p[0], p[1], p[5], p[4], {0, -1, 0});
    quad(out, p[2], p[3], p[7], p[6], {0, 1, 0});
    quad(out, p[1], p[2], p[6], p[5], {1, 0, 0});
    quad(out, p[3], p[0], p[4], p[7], {-1, 0, 0});
    for (int i = 0; i < 4; ++i) {
        edge(out, p[i], p[(i + 1) % 4]);
        edge(out, p[4 + i], p[4 + (i + 1) % 4]);
        edge(out, p[i], p[4 + i]);
    }
    return out;
}

/// A box whose edges along z are rounded: flat ends, and a wall that is smooth where it turns.
Solid rounded_box(const Vec3& size, double round)
{
    constexpr int parts = 6; // of a quarter
    Solid out;
    struct Wall {
        Vector3f at;
        Vector3f normal;
    };
    std::vector<Wall> outline;
    for (int corner = 0; corner < 4; ++corner) {
        const double cx = (corner == 0 || corner == 3 ? 1 : -1) * (size.x() / 2 - round);
        const double cy = (corner < 2 ? 1 : -1) * (size.y() / 2 - round);
        for (int i = 0; i <= parts; ++i) {
            const double a = pi / 2 * (corner + double(i) / parts);
            const Vector3f normal(float(std::cos(a)), float(std::sin(a)), 0);
            outline.push_back({Vector3f(float(cx), float(cy), 0) + float(round) * normal, normal});
        }
    }
    const Vector3f up(0, 0, float(size.z()));
    const Vector3f middle = Vector3f::Zero();
    for (std::size_t i = 0; i < outline.size(); ++i) {
        const Wall& a = outline[i];
        const Wall& b = outline[(i + 1) % outline.size()];
        const Solid::Corner corners[6] = {{a.at, a.normal}, {b.at, b.normal},      {b.at + up, b.normal},
                                          {a.at, a.normal}, {b.at + up, b.normal}, {a.at + up, a.normal}};
        out.triangles.insert(out.triangles.end(), std::begin(corners), std::end(corners));
        const Solid::Corner ends[6] = {{middle, {0, 0, -1}},     {b.at, {0, 0, -1}},     {a.at, {0, 0, -1}},
                                       {middle + up, {0, 0, 1}}, {a.at + up, {0, 0, 1}}, {b.at + up, {0, 0, 1}}};
        out.triangles.insert(out.triangles.end(), std::begin(ends), std::end(ends));
        edge(out, a.at, b.at);
        edge(out, a.at + up, b.at + up);
    }
    return out;
}

/// Adds a ring between two radii at two heights; smooth round about, with an edge at the ends where asked.
void ring(Solid& out, double r0, double z0, double r1, double z1, bool edge0, bool edge1)
{
    const double slope = std::atan2(r0 - r1, z1 - z0);
    const auto point = [](double r, double z, int i) {
        const double a = 2 * pi * i / sides;
        return Vector3f(float(r * std::cos(a)), float(r * std::sin(a)), float(z));
    };
    const auto normal = [&](int i) {
        const double a = 2 * pi * i / sides;
        return Vector3f(float(std::cos(a) * std::cos(slope)), float(std::sin(a) * std::cos(slope)), float(std::sin(slope)));
    };
    for (int i = 0; i < sides; ++i) {
        const Vector3f a = point(r0, z0, i);
        const Vector3f b = point(r0, z0, i + 1);
        const Vector3f c = point(r1, z1, i + 1);
        const Vector3f d = point(r1, z1, i);
        const Vector3f na = normal(i);
        const Vector3f nb = normal(i + 1);
        const Solid::Corner corners[6] = {{a, na}, {b, nb}, {c, nb}, {a, na}, {c, nb}, {d, na}};
        out.triangles.insert(out.triangles.end(), std::begin(corners), std::end(corners));
        if (edge0) {
            edge(out, a, b);
        }
        if (edge1) {
            edge(out, d, c);
        }
    }
}

void disc(Solid& out, double r, double z, bool up)
{
    if (r > 0) {
        const std::size_t first = out.triangles.size();
        ring(out, up ? r : 0, z, up ? 0 : r, z, false, false);
        for (std::size_t i = first; i < out.triangles.size(); ++i) {
            out.triangles[i].normal = {0, 0, up ? 1.0F : -1.0F};
        }
    }
}

} // namespace

Solid solid_of(const Body& body)
{
    if (body.shape == Shape::box) {
        return body.round > 0 ? rounded_box(body.size, body.round) : box(body.size);
    }
    Solid out;
    if (body.shape == Shape::surface) {
        for (const auto& face : body.surface ? body.surface->faces : Triangles().faces) {
            const std::array<Vec3, 3> p{body.surface->points[face[0]], body.surface->points[face[1]], body.surface->points[face[2]]};
            const Eigen::Vector3f normal = (p[1] - p[0]).cross(p[2] - p[0]).normalized().cast<float>();
            for (const Vec3& corner : p) {
                out.triangles.push_back({corner.cast<float>(), normal});
            }
        }
        return out;
    }
    ring(out, body.bottom / 2, 0, body.top / 2, body.length, true, body.top > 0);
    disc(out, body.bottom / 2, 0, false);
    disc(out, body.top / 2, body.length, true);
    return out;
}

Solid solid_of(const Tool& tool, double length)
{
    Solid out;
    const double r = tool.diameter > 0 ? tool.diameter / 2 : 3;
    double z = 0;
    if (tool.shape.find("ball") != std::string::npos) {
        constexpr int steps = 8;
        for (int i = 0; i < steps; ++i) {
            const double a = pi / 2 * i / steps;
            const double b = pi / 2 * (i + 1) / steps;
            ring(out, r * std::sin(a), r - r * std::cos(a), r * std::sin(b), r - r * std::cos(b), false, false);
        }
        z = r;
    } else if (tool.shape.find("drill") != std::string::npos) {
        z = r / std::tan(to_rad(59)); // a point of 118 degrees
        ring(out, 0, 0, r, z, false, true);
    } else {
        disc(out, r, 0, false);
    }
    const double top = std::max(length, z + 1);
    const double held = std::min(tool.holder_length, 0.95 * (top - z));
    if (held <= 0 || tool.holder_diameter <= tool.diameter) {
        ring(out, r, z, r, top, z == 0, true);
        disc(out, r, top, true);
        return out;
    }
    // The cutter, and its holder from the gauge line down: a nut that narrows towards the cutter, the body, a groove and the flange.
    const double h = tool.holder_diameter / 2;
    const double below = top - held;
    const double nose = std::min({0.18 * held, h - r, 8.0});
    ring(out, r, z, r, below, z == 0, false);
    ring(out, std::max(r, h - nose), below, h, below + nose, true, true);
    disc(out, std::max(r, h - nose), below, false);
    const double groove = std::min(0.12 * held, 5.0);
    const double shelf = top - 2.2 * groove;
    if (shelf > below + nose + groove) {
        ring(out, h, below + nose, h, shelf - groove, false, true);
        ring(out, 0.88 * h, shelf - groove, 0.88 * h, shelf, false, false);
        disc(out, h, shelf - groove, true);
        disc(out, h, shelf, false);
        ring(out, h, shelf, h, top, true, true);
    } else {
        ring(out, h, below + nose, h, top, false, true);
    }
    disc(out, h, top, true);
    return out;
}

} // namespace wexilum::app
