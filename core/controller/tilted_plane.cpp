#include "core/controller/tilted_plane.hpp"

#include "core/base/json_document.hpp"
#include "core/base/units.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace wexilum {
namespace {

constexpr double least_way = 1e-6; // of vectors and between points

Error no_plane(const char* what)
{
    return {ErrorKind::value, fmt::format("the plane's {} name no plane", what), {}, "they must be neither zero nor in one line"};
}

/// Axes with this normal, and x as near to the given one as that allows.
Result<Mat3> axes_from(const Vec3& x, const Vec3& normal, const char* what)
{
    if (normal.norm() < least_way || normal.cross(x).norm() < least_way * std::max(1.0, normal.norm())) {
        return no_plane(what);
    }
    return Mat3(frame_from(Vec3::Zero(), x, normal.normalized()).linear());
}

Mat3 turned(const PlaneForm& form, const Vec3& angles)
{
    Mat3 out = Mat3::Identity();
    for (int i = 0; i < 3; ++i) {
        const Mat3 turn = Eigen::AngleAxisd(to_rad(angles[i]), Vec3::Unit(form.order[std::size_t(i)])).toRotationMatrix();
        out = form.turned_axes ? Mat3(out * turn) : Mat3(turn * out);
    }
    return out;
}

} // namespace

std::size_t PlaneForm::count() const
{
    switch (by) {
    case By::euler: return 3;
    case By::vectors:
    case By::points: return 6;
    case By::readings: break;
    }
    return 0;
}

Result<Frame> plane_from(const PlaneForm& form, const Vec3& origin, const std::vector<double>& numbers)
{
    const auto vector = [&](std::size_t at) { return Vec3(numbers[at], numbers[at + 1], numbers[at + 2]); };
    Frame out = Frame::Identity();
    out.translation() = origin;
    if (form.by == PlaneForm::By::euler) {
        out.linear() = turned(form, vector(0));
        return out;
    }
    const bool points = form.by == PlaneForm::By::points;
    const Vec3 x = points ? Vec3(vector(0) - origin) : vector(0);
    const auto axes = axes_from(x, points ? Vec3(x.cross(vector(3) - origin)) : vector(3), points ? "points" : "vectors");
    if (!axes) {
        return axes.error();
    }
    out.linear() = *axes;
    return out;
}

std::vector<double> plane_numbers(const PlaneForm& form, const Vec3& origin, const Mat3& axes, double reach)
{
    std::vector<double> out;
    const auto add = [&](const Vec3& v) { out.insert(out.end(), {v.x() + 0.0, v.y() + 0.0, v.z() + 0.0}); };
    switch (form.by) {
    case PlaneForm::By::readings: break;
    case PlaneForm::By::vectors:
        add(axes.col(0));
        add(axes.col(2));
        break;
    case PlaneForm::By::points:
        add(origin + axes.col(0) * reach);
        add(origin + axes.col(1) * reach);
        break;
    case PlaneForm::By::euler: {
        // Turns about fixed axes are those about turned ones in the other order.
        const auto [a, b, c] = form.order;
        Vec3 first = form.turned_axes ? axes.eulerAngles(a, b, c) : Vec3(axes.eulerAngles(c, b, a).reverse());
        Vec3 second(wrapped(first.x() + pi), form.order[0] == form.order[2] ? -first.y() : wrapped(pi - first.y()),
                    wrapped(first.z() + pi));
        first = Vec3(wrapped(first.x()), wrapped(first.y()), wrapped(first.z()));
        const Vec3& best = second.cwiseAbs().sum() < first.cwiseAbs().sum() - 1e-9 ? second : first;
        add(Vec3(to_deg(best.x()), to_deg(best.y()), to_deg(best.z())));
        break;
    }
    }
    return out;
}

void read_plane_form(json::Fields& fields, json::Problems& problems, PlaneForm& out)
{
    fields.choice<PlaneForm::By>("by", out.by,
                                 {{"euler-angles", PlaneForm::By::euler},
                                  {"vectors", PlaneForm::By::vectors},
                                  {"points", PlaneForm::By::points},
                                  {"readings", PlaneForm::By::readings}},
                                 true);
    const auto complain = [&](const char* key, const std::string& message, const char* cure) {
        problems.add(*fields.here().find(key), message, cure);
    };
    std::string order = "zxz";
    if (fields.text("order", order, out.by == PlaneForm::By::euler)) {
        const std::string axes = "xyz";
        bool right = order.size() == 3 && out.by == PlaneForm::By::euler;
        for (std::size_t i = 0; right && i < 3; ++i) {
            const auto axis = axes.find(order[i]);
            right = axis != std::string::npos && (i == 0 || order[i] != order[i - 1]);
            out.order[i] = right ? int(axis) : 0;
        }
        if (!right) {
            complain("order", fmt::format("\"{}\" is not an order of three turns", order.substr(0, 40)),
                     "write three of x, y and z, no two neighbours alike, like \"zxz\" or \"xyz\"; for euler-angles only");
        }
    }
    std::size_t about = 0;
    fields.choice("about", about, {"turned-axes", "fixed-axes"}, out.by == PlaneForm::By::euler);
    out.turned_axes = about == 0;
    const auto read_letters = [&](const char* key, std::string& letters, std::size_t count, bool needed) {
        const bool stated = fields.text(key, letters, needed);
        const std::string all = key == std::string("numbers") ? out.origin + letters : letters;
        std::string sorted = all;
        std::sort(sorted.begin(), sorted.end());
        const bool right = letters.size() == count && std::adjacent_find(sorted.begin(), sorted.end()) == sorted.end() &&
                           std::all_of(sorted.begin(), sorted.end(), [](char c) { return c >= 'A' && c <= 'Z'; });
        if (stated && !right) {
            complain(key, fmt::format("the {} of a plane need {} capital letters, each once in its block", key, count),
                     "write them one after the other, like \"IJK\"");
        }
    };
    read_letters("origin", out.origin, 3, false);
    read_letters("numbers", out.letters, out.count(), out.count() > 0);
}

} // namespace wexilum
