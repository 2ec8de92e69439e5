#pragma once
// Which moment of a subject's animations is shown, and its meshes posed for it.

#include "mesh/pose.h"
#include "scene/scene.h"

#include <map>

namespace thicket::app {

class PosePlayer {
public:
    [[nodiscard]] static bool canPlay(const Subject* subject);
    /// Whether a pose of this subject is shown, playing or held, in place of the mesh at rest.
    [[nodiscard]] bool inMotion(const Subject* subject) const;
    [[nodiscard]] const Moment& moment() const { return m_moment; }
    [[nodiscard]] double length(const Subject& subject) const; ///< of the animation, seconds

    /// Goes on from where it was, or begins where another subject was shown.
    /// REQUIRES   canPlay.
    void start(const Subject& subject);
    void setMoment(const Subject& subject, std::size_t animation, double seconds);
    void advance(const Subject& subject, double seconds);
    void toRest();
    /// A level as it is at the moment; the same one until that is another.
    /// REQUIRES   inMotion(&subject).
    std::shared_ptr<const Mesh> posedMesh(const Subject& subject, const std::shared_ptr<const Mesh>& mesh);

private:
    std::uint32_t m_subject = 0; ///< whose pose is shown; 0: none
    Moment m_moment;
    Moment m_posedAt{0, -1}; ///< what m_pose and m_posed are of
    Pose m_pose;
    std::map<const Mesh*, std::pair<std::weak_ptr<const Mesh>, std::shared_ptr<const Mesh>>> m_posed;
};

} // namespace thicket::app
