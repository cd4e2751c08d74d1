// Scenes and brackets from formulas.
#pragma once

#include "frames/measure.h"
#include "image/image.h"
#include "simulated_camera.h"

#include <QString>
#include <QStringList>

namespace yolk::test {

Image<float> flat(int width, int height, float r, float g, float b);

/// A smooth horizontal ramp of luminance over `stops` stops from `low` on, with gentle colour and vertical texture.
Image<float> rampScene(int width, int height, double low, double stops);

/// Grains of 4 x 4 pixels of any light from `low` on over `stops`, the same at every call: something to hold on to.
Image<float> grainyScene(int width, int height, double low, double stops);

/// 16-bit codes of linear values (io/linear_codes.h), clipped at 1.
Image<uint16_t> codesOf(ImageView<const float> linear);

/// One shot of a bracket: EV against a frame that clips at `clipsAt`.
demo::Shot shotAt(double ev, double clipsAt, uint64_t seed);

/// Shoots `scene` at the EVs given and writes the frames into `folder`; returns the paths in that order.
QStringList writeBracket(const QString &folder, ImageView<const float> scene, const std::vector<double> &evs,
                         double clipsAt, demo::FrameFile kind = demo::FrameFile::Jpeg);

/// How frames come to what is measured on them, without any cache.
DecodedPtr decodeAtOnce(const Frame &frame, int reduction, ExecContext &ctx);
SensorLookPtr lookAtOnce(const Frame &frame, ExecContext &ctx);

/// The first `count` bytes of a file, or all.
QByteArray bytesOf(const QString &path, qint64 count = -1);
void writeBytes(const QString &path, const QByteArray &bytes);

} // namespace yolk::test
