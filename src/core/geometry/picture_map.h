// The one map between the picture and its reference frame: everything local goes through it.
#pragma once

#include "base/point.h"
#include "colour/primaries.h"
#include "geometry/geometry_settings.h"
#include "image/resample.h"
#include "lens/radial_curve.h"

namespace yolk {

/// Focal length where the metadata say nothing: 28 mm on a frame of 36 x 24 mm, in long sides of the frame. Common
/// practice, no published source.
inline constexpr double kUsualFocal = 28.0 / 36.0;

/// How the camera saw.
struct Optics {
    double focal;           ///< long sides of the frame
    RadialCurve distortion; ///< of the lens, to be taken back: share by which light lies further out than it should
    Optics(double focalLength = kUsualFocal, const RadialCurve &bent = {}) : focal(focalLength), distortion(bent) {}
};

/// From the plane of the picture, full-resolution pixels with its corner at (0, 0), to pixels of the upright reference
/// frame: bent, the angle, then the camera tilted and swung (a homography, by the focal length), then mirror and quarter turn, all
/// about the middle, which stays where it is; then the lens. The crop is an area of the plane.
class PictureMap {
public:
    /// `width` x `height` of the reference frame. Throws ArgumentError (size, focal length).
    PictureMap(const GeometrySettings &settings, int width, int height, const Optics &optics = {});

    bool isIdentity() const { return identity_; } ///< picture and reference pixels are the same
    int width() const { return planeWidth_; }
    int height() const { return planeHeight_; }
    Point toReference(Point picture) const;
    /// By Newton's method where there is a lens. A place that no picture shows (behind the tilted camera) comes out as
    /// not a number.
    Point toPicture(Point reference) const;
    /// How many pixels of the reference one of the picture takes there, along the longer way.
    double scaleAt(Point picture) const;
    /// Round what the area shows, in pixels of the reference; it may reach beyond the frame.
    RealRect referenceBounds(const RealRect &picture) const;
    /// Whether all of the area lies within `frame`, an area of the reference.
    bool isCovered(const RealRect &picture, const RealRect &frame) const;
    /// The largest area of the proportions of `wanted`, about its middle and not larger, that is covered; where its
    /// middle is not, about the place nearest to it on the way to the plane's middle that is.
    RealRect covered(const RealRect &wanted, const RealRect &frame) const;

private:
    Point bent(Point fromMiddle) const;
    Point unbent(Point fromMiddle) const;
    Point distorted(Point fromMiddle) const;
    Point undistorted(Point fromMiddle) const;
    int width_, height_, planeWidth_, planeHeight_;
    bool identity_;
    Matrix3 toFrame_, toPlane_; ///< between planes, both from their middles, without the lens
    RadialCurve lens_;          ///< share by which a place moves out, by hand and by data
    bool straight_;             ///< that is nothing
    double bendX_, bendY_;      ///< shares by which a place at the edge above or beside moves out
    double cornerSquared_;      ///< of the reference, from its middle, pixels squared
};

} // namespace yolk
