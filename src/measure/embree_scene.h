#pragma once
// A scene of Embree with one geometry. Not for anyone outside of this module.

#include <embree3/rtcore.h>

namespace thicket::measure {

class EmbreeScene {
public:
    EmbreeScene() : m_device(rtcNewDevice(nullptr)), m_scene(rtcNewScene(m_device)) {}
    ~EmbreeScene() {
        rtcReleaseScene(m_scene);
        rtcReleaseDevice(m_device);
    }
    EmbreeScene(const EmbreeScene&) = delete;
    EmbreeScene& operator=(const EmbreeScene&) = delete;

    [[nodiscard]] RTCScene scene() const { return m_scene; }
    RTCGeometry make(RTCGeometryType type) { return rtcNewGeometry(m_device, type); }
    void finish(RTCGeometry geometry) {
        rtcCommitGeometry(geometry);
        rtcAttachGeometry(m_scene, geometry);
        rtcReleaseGeometry(geometry);
        rtcCommitScene(m_scene);
    }

private:
    RTCDevice m_device;
    RTCScene m_scene;
};

} // namespace thicket::measure
