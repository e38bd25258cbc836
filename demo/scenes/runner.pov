// Parcel runner: a hooded figure with a lantern comes along the quay, past bollards, towards the camera and across.
// 112 frames at 25 frames/s.
#ifndef (TIME) #declare TIME = clock; #end
#declare T = TIME;                       // seconds
#declare clock_water = T * 0.5;
#declare Drift = <0.05 * sin(T * 0.9), 0.02 * sin(T * 1.3), 0>;
#declare Cam_At = <0.15, 1.42, 0> + Drift;
#declare Cam_To = <0.0, 1.22, 6> + Drift * 0.6;
#declare Focal_Length = 0.035;
#declare Near = 1.0;
#include "common.inc"
Dusk(1.0)

// Quay: flagstones with joints, an edge on the right, water beyond.
#declare Flags = texture { Wet_Stone }
Place(difference {
  box { <-9, -0.4, -2>, <2.6, 0, 44> }
  #local I = 0; #while (I < 40) box { <-9.1, -0.02, 0.6 + I * 1.1>, <2.7, 0.1, 0.625 + I * 1.1> } #local I = I + 1; #end
  #local I = 0; #while (I < 10) box { <-8 + I * 1.15, -0.02, -2.1>, <-7.975 + I * 1.15, 0.1, 44.1> } #local I = I + 1; #end
  Paint(Flags) })
Place(box { <2.3, 0, -2>, <2.62, 0.1, 44> Paint(Wet_Stone) })
Place(plane { y, -0.9 Paint(Water) })

// Tea stalls on the left, with awnings and lanterns.
#declare Rs = seed(11);
#local I = 0;
#while (I < 5)
  #local Z0 = 5.2 + I * 3.6; #local Cc = <0.35 + 0.2 * rand(Rs), 0.06 + 0.12 * rand(Rs), 0.05 + 0.1 * rand(Rs)>;
  Place(union {
    box { <-4.6, 0, Z0>, <-2.6, 0.95, Z0 + 2.3> }
    box { <-4.7, 0.95, Z0 - 0.05>, <-2.5, 1.02, Z0 + 2.35> }
    box { <-4.62, 0.95, Z0 + 0.02>, <-4.55, 2.7, Z0 + 2.28> }
    cylinder { <-2.55, 0, Z0>, <-2.55, 2.5, Z0>, 0.045 } cylinder { <-2.55, 0, Z0 + 2.3>, <-2.55, 2.5, Z0 + 2.3>, 0.045 }
    Paint(Old_Wood) })
  Place(union {
    prism { linear_spline Z0 - 0.25, Z0 + 2.55, 5, <-4.7, 2.95>, <-2.15, 2.35>, <-2.15, 2.31>, <-4.7, 2.91>, <-4.7, 2.95> rotate <-90, 0, 0> scale <1, 1, -1> }
    #local J = 0; #while (J < 14) box { <-2.17, 2.17 + 0.04 * mod(J, 2), Z0 - 0.25 + J * 0.2>, <-2.14, 2.34, Z0 - 0.05 + J * 0.2> } #local J = J + 1; #end
    Paint(Cloth(Cc)) })
  // Things on the counter: pots and cups.
  #local J = 0;
  #while (J < 6)
    #local Pp = <-2.9 - rand(Rs) * 1.2, 1.02, Z0 + 0.2 + J * 0.36>; #local Rr = 0.06 + 0.07 * rand(Rs);
    Place(union { sphere { Pp + y * Rr, Rr } cylinder { Pp + y * Rr * 1.8, Pp + y * Rr * 2.3, Rr * 0.4 }
      Paint(texture { pigment { rgb <0.25 + 0.3 * rand(Rs), 0.16, 0.1 + 0.15 * rand(Rs)> } finish { ambient 0 diffuse 0.7 specular 0.6 roughness 0.02 } }) })
    #local J = J + 1;
  #end
  Lantern(<-2.35, 2.02, Z0 + 0.35>, 0.13, Warm, 0.0)
  Lantern(<-2.35, 1.97, Z0 + 1.15>, 0.11, rgb <1, 0.42, 0.18>, 0.0)
  Lantern(<-2.35, 2.02, Z0 + 1.95>, 0.13, Warm, 0.0)
  Glow(<-3.6, 2.2, Z0 + 1.15>, rgb <1, 0.66, 0.34>, 1.3, 3.4)
  #local I = I + 1;
#end

// A line of lanterns across the quay, far lights over the water, ferries.
#local I = 0;
#while (I < 13)
  #local U = I / 12;
  Lantern(<-2.4 + 5.2 * U, 2.95 - 0.55 * sin(pi * U), 9.5 + 0.8 * sin(U * 7)>, 0.085, rgb <1, 0.58 + 0.12 * sin(I * 2.1), 0.22 + 0.1 * sin(I)>, 0)
  #local I = I + 1;
#end
#local I = 0;
#while (I < 11)
  #local U = I / 10;
  Lantern(<-2.4 + 5.6 * U, 3.3 - 0.6 * sin(pi * U), 17>, 0.1, rgb <1, 0.5 + 0.15 * sin(I * 1.7), 0.2>, 0)
  #local I = I + 1;
#end
Glow(<0.4, 2.3, 9.5>, rgb <1, 0.6, 0.3>, 0.9, 5)
Ferry(<9 - 0.25 * T, -0.75, 24>, 1.15, 8, 3)
Ferry(<19 + 0.15 * T, -0.75, 38>, 1.5, -12, 5)
#declare Rf = seed(77);
#local I = 0;
#while (I < 46)
  Spark(<-6 + rand(Rf) * 62, 0.6 + pow(rand(Rf), 2) * 7, 60 + rand(Rf) * 22>, 0.13 + 0.1 * rand(Rf), rgb <1, 0.55 + 0.3 * rand(Rf), 0.2 + 0.45 * rand(Rf)>, 5)
  #local I = I + 1;
#end
Place(union { #local I = 0; #while (I < 26) #local Hh = 1.5 + 7 * pow(rand(Rf), 2); #local X0 = -12 + I * 3.2; box { <X0, -1, 84>, <X0 + 3.4, Hh, 88> } #local I = I + 1; #end
  Paint(texture { pigment { rgb <0.045, 0.042, 0.06> } finish { ambient 0 diffuse 0.8 emission 0.3 } }) })

// Bollards along the edge; and a post that crosses in front of the runner once.
#local I = 0; #while (I < 7) Bollard(<1.95, 0, 4.1 + I * 2.6>) #local I = I + 1; #end
// The mooring post that the runner passes behind.
Place(union {
  cylinder { <0.16, 0, 3.4>, <0.16, 1.72, 3.4>, 0.1 } cylinder { <0.16, 0, 3.4>, <0.16, 0.2, 3.4>, 0.15 }
  torus { 0.105, 0.03 translate <0.16, 1.3, 3.4> } sphere { <0.16, 1.74, 3.4>, 0.13 }
  Paint(Dark_Iron) })
Place(union { #local I = 0; #while (I < 6) sphere_sweep { cubic_spline 5, <1.95, 0.55, 1.5 + I * 2.6>, 0.018, <1.95, 0.45, 4.1 + I * 2.6>, 0.018, <1.95, 0.22, 5.4 + I * 2.6>, 0.018, <1.95, 0.45, 6.7 + I * 2.6>, 0.018, <1.95, 0.55, 9.3 + I * 2.6>, 0.018 } #local I = I + 1; #end Paint(Cloth(<0.16, 0.12, 0.08>)) })

// The runner: down the quay, then slightly across, 1.25 m/s.
#declare Way = 0.4 + T * 1.28;
#declare Heading = 156;
#declare Start = <-1.55, 0, 9.9>;
#declare Dir = vrotate(z, y * Heading);
#declare At = Start + Dir * Way;
#declare Swing = 0.05 * sin(Way / 1.36 * 2 * pi);
Star(union {
  Walker(Way, <0.62, 0.37, 0.045>, 0)
  Parcel(<0.16, 1.05, 0.36>, 8)
  union { cylinder { <-0.33, 0.92, 0.36 + Swing>, <-0.33, 1.02, 0.36>, 0.008 } torus { 0.05, 0.008 translate <-0.33, 0.92, 0.36 + Swing> } Paint(Dark_Iron) }
  sphere { 0, 0.085 scale <1, 1.15, 1> translate <-0.33, 0.80, 0.36 + Swing * 1.6> Paint(texture { pigment { rgb <1, 0.72, 0.36> } finish { emission 3.4 ambient 0 diffuse 0 } }) }
  rotate y * Heading translate At })
#if (Lit) // the lantern lights the plate, too: only the figure is gone from it
  light_source { At + vrotate(<-0.36, 0.80, 0.56 + Swing * 1.6>, y * Heading) rgb <1, 0.66, 0.34> * 0.9 fade_distance 0.75 fade_power 2 }
#end
