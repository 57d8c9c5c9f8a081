// A control and the kinematics of a machine that share nothing with what is tested: read from the same files by Qt's own reader of JSON,
// done as a manual describes it, one block after the other. For judging whether a changed program still does the same.
#pragma once

#include <Eigen/Geometry>
#include <QJsonObject>
#include <QString>
#include <cmath>

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace wexilum::test {

inline constexpr double degree = M_PI / 180;

/// Where the tool is, in the frame of the work mount: mm, unit vector.
struct PlainPose {
    Eigen::Vector3d tip;
    Eigen::Vector3d axis;
    Eigen::Vector3d out; ///< of the work: along the tool, of a blade towards its middle
};

/// Joints in a chain, as products of turns and shifts.
class PlainMachine {
public:
    /// The machine of a project by its file.
    explicit PlainMachine(const QJsonObject& machine);
    /// `at`: readings by joint, mm or degrees.
    [[nodiscard]] PlainPose pose(const std::map<QString, double>& at, const QString& mount, double length) const;
    [[nodiscard]] bool is_rotary(const QString& joint) const;
    [[nodiscard]] double home(const QString& joint) const;
    [[nodiscard]] QString first_tool_mount() const { return tool_mount_; }
    [[nodiscard]] std::vector<QString> joints() const;

private:
    struct PlainJoint {
        bool rotary = false;
        QString parent;
        Eigen::Vector3d direction;
        Eigen::Vector3d point;
        double sign = 1;
        double home = 0;
    };
    struct PlainMount {
        QString parent;
        Eigen::Isometry3d frame;
        bool blade = false; ///< whose lowest point is the tip
    };
    [[nodiscard]] Eigen::Isometry3d moved(QString joint, const std::map<QString, double>& at) const;
    std::map<QString, PlainJoint> joints_;
    std::map<QString, PlainMount> mounts_;
    QString work_mount_;
    QString tool_mount_;
};

/// What a block does: a motion, or something that is not one.
struct PlainStep {
    std::size_t line = 0; ///< from 0
    bool motion = false;
    bool feed = false;
    std::vector<PlainPose> poses; ///< of a motion, from its beginning to its end
    std::string state;            ///< of a motion at feed: all that the cut is made with; otherwise what is done
};

/// Runs a program on a demo job's machine, controller and setup. Programs without frames, subprograms and heads.
class PlainControl {
public:
    PlainControl(const QString& project, const QString& job);
    [[nodiscard]] std::vector<PlainStep> run(const std::vector<std::string>& lines) const;
    /// mm and degrees that the job allows.
    [[nodiscard]] double tip_tolerance() const { return tip_; }
    [[nodiscard]] double axis_tolerance() const { return axis_; }
    [[nodiscard]] const PlainMachine& machine() const { return machine_; }
    /// All words that the control knows.
    [[nodiscard]] QStringList words() const { return controller_[QStringLiteral("words")].toObject().keys(); }

private:
    friend class PlainRun;
    QJsonObject controller_;
    QJsonObject setup_;
    PlainMachine machine_;
    QString offset_;
    double tip_ = 0;
    double axis_ = 0;
};

/// Why the changed program does not do the same; empty where it does: the same cuts with the same state in the same order, and between
/// them rapids that keep to the way of the others or stay out of all that is cut.
[[nodiscard]] std::string difference(const PlainControl& control, const std::vector<PlainStep>& right,
                                     const std::vector<PlainStep>& changed);

} // namespace wexilum::test
