#pragma once
// Emitters: in from their files, values by level, parts on and off, what sets the level.

#include "appmodel/session.h"

namespace thicket::app {

class EmitterModel : public QObject {
    Q_OBJECT
public:
    explicit EmitterModel(Session& session) : m_session(session) {}

    void importEmitter(const QString& path);
    /// A puff of smoke to begin with, in front of `place`.
    void makeNew(const Vec3d& place);
    void save(std::uint32_t id, const QString& path);
    /// One more copy of it at a place.
    void placeAt(std::uint32_t id, const Vec3d& place);

    /// Sets a value of a part: at level 0 of the source, at others as their own. Values that cannot be are refused, and
    /// why is said; then everything stays as it is, and false comes back.
    bool setOn(std::uint32_t id, int level, int part, bool on);
    bool setNumber(std::uint32_t id, int level, int part, PartValue value, const Between& to);
    /// The value is inherited again.
    void clear(std::uint32_t id, int level, int part, PartValue value);

    bool addLevel(std::uint32_t id, double share);
    void removeLevel(std::uint32_t id, int level);
    void setLevelBy(std::uint32_t id, LevelBy by);
    void setForced(std::uint32_t id, std::optional<std::uint32_t> level);
    void setSeed(std::uint32_t id, std::uint32_t seed);
    /// Of the chosen device: which level emitters show on it that go by the device.
    void setDeviceTier(int tier);

    /// A value as it is in force at a level; `On` is 0 or 1.
    static Between valueAt(const Emitter& emitter, int level, int part, PartValue value);

private:
    [[nodiscard]] const Scene& scene() const { return m_session.scene(); }
    [[nodiscard]] const Subject* emitter(std::uint32_t id) const;
    bool change(std::uint32_t id, const QString& label, const std::function<void(Emitter&)>& how);

    Session& m_session;
};

} // namespace thicket::app
