// Tea glass: locked camera; a tea glass near (0.9 m), a kettle in the middle (1.9 m), ferries with lights far.
// 96 frames at 24 frames/s.
#ifndef (TIME) #declare TIME = clock; #end
#declare T = TIME;
#declare clock_water = T * 0.5;
#declare Cam_At = <0, 1.13, 0>;
#declare Cam_To = <0.02, 0.985, 2>;
#declare Focal_Length = 0.05;
#declare Near = 0.6;
#include "common.inc"
Dusk(0.8)

// A long table on the quay.
Place(union {
  #local I = 0; #while (I < 5) box { <-1.6, 0.86, 0.45 + I * 0.36>, <1.6, 0.9, 0.45 + I * 0.36 + 0.352> } #local I = I + 1; #end
  Paint(texture { Old_Wood rotate y * 90 scale 0.5 finish { reflection 0.06 } }) })
Place(plane { y, -0.9 Paint(Water) })

// The glass of tea: tulip-shaped, in a saucer; a thin clear wall with tea inside.
#declare Gx = -0.16; #declare Gz = 0.9;
#declare Clear = texture { pigment { rgbt <0.9, 0.95, 0.95, 0.82> } finish { ambient 0 diffuse 0.15 specular 0.9 roughness 0.004 reflection { 0.03, 0.35 fresnel off } } }
#declare Tea = texture { pigment { gradient y color_map { [0 rgb <0.30, 0.055, 0.01>][1 rgb <0.62, 0.19, 0.03>] } scale 0.12 translate y * 0.91 } finish { ambient 0 diffuse 0.6 emission 0.28 specular 0.5 roughness 0.01 } }
Star(union {
  lathe { cubic_spline 9, <0.001, 0.0>, <0.026, 0.0>, <0.033, 0.02>, <0.029, 0.05>, <0.026, 0.068>, <0.032, 0.1>, <0.036, 0.118>, <0.034, 0.118>, <0.030, 0.1> translate <Gx, 0.918, Gz> Paint(Clear) }
  lathe { cubic_spline 8, <0.001, 0.004>, <0.024, 0.004>, <0.031, 0.02>, <0.027, 0.05>, <0.024, 0.068>, <0.029, 0.098>, <0.001, 0.099>, <0.0, 0.1> translate <Gx, 0.918, Gz> Paint(Tea) }
  union { cylinder { <Gx, 0.9, Gz>, <Gx, 0.912, Gz>, 0.05 } torus { 0.058, 0.006 translate <Gx, 0.913, Gz> }
    Paint(texture { pigment { rgb <0.62, 0.56, 0.46> } finish { ambient 0 diffuse 0.8 specular 0.5 roughness 0.02 } }) }
  union { sphere_sweep { linear_spline 2, <Gx + 0.05, 0.922, Gz - 0.03>, 0.004, <Gx + 0.13, 0.905, Gz - 0.07>, 0.003 } sphere { 0, 0.012 scale <1.4, 0.4, 1> translate <Gx + 0.045, 0.922, Gz - 0.028> }
    Paint(texture { pigment { rgb <0.6, 0.58, 0.52> } finish { ambient 0 diffuse 0.4 specular 0.9 roughness 0.01 reflection 0.3 } }) }
})

// The kettle on a small brazier.
#declare Kx = 0.34; #declare Kz = 1.9;
#declare Copper = texture { pigment { rgb <0.42, 0.17, 0.08> } finish { ambient 0 diffuse 0.45 specular 0.8 roughness 0.02 reflection { 0.16, 0.4 fresnel off } } normal { bumps 0.06 scale 0.04 } }
Place(union {
  sphere { 0, 0.13 scale <1, 0.82, 1> translate <Kx, 1.1, Kz> } cylinder { <Kx, 1.19, Kz>, <Kx, 1.215, Kz>, 0.06 } sphere { <Kx, 1.235, Kz>, 0.02 }
  sphere_sweep { cubic_spline 5, <Kx - 0.05, 1.05, Kz>, 0.02, <Kx - 0.11, 1.07, Kz>, 0.022, <Kx - 0.18, 1.14, Kz>, 0.015, <Kx - 0.21, 1.18, Kz>, 0.012, <Kx - 0.22, 1.2, Kz>, 0.012 }
  sphere_sweep { cubic_spline 7, <Kx - 0.12, 1.1, Kz>, 0.009, <Kx - 0.1, 1.2, Kz>, 0.009, <Kx - 0.07, 1.3, Kz>, 0.009, <Kx, 1.335, Kz>, 0.009, <Kx + 0.07, 1.3, Kz>, 0.009, <Kx + 0.1, 1.2, Kz>, 0.009, <Kx + 0.12, 1.1, Kz>, 0.009 }
  Paint(Copper) })
Place(union { difference { cylinder { <Kx, 0.9, Kz>, <Kx, 1.01, Kz>, 0.12 } cylinder { <Kx, 0.93, Kz>, <Kx, 1.03, Kz>, 0.105 } #local I = 0; #while (I < 8) cylinder { <0, 0.955, 0>, <0.3, 0.955, 0>, 0.018 rotate y * I * 45 translate <Kx, 0, Kz> } #local I = I + 1; #end } Paint(Dark_Iron) })
#local Fl = 0.85 + 0.1 * sin(T * 17) + 0.07 * sin(T * 29 + 1);
Place(sphere { 0, 0.09 scale <1, 0.35, 1> translate <Kx, 0.955, Kz> Paint(texture { pigment { granite scale 0.12 color_map { [0 rgb <1, 0.22, 0.03>][1 rgb <0.4, 0.04, 0>] } } finish { emission 1.6 * Fl ambient 0 diffuse 0 } }) })
Glow(<Kx, 1.0, Kz - 0.17>, rgb <1, 0.4, 0.12>, 0.5 * Fl, 0.9)
// Cups and a bowl of sugar between them.
#declare Rc = seed(5);
#local I = 0;
#while (I < 5)
  #local P = <-0.5 + I * 0.17 + 0.05 * rand(Rc), 0.9, 1.5 + 0.5 * rand(Rc)>;
  #if (abs(P.x - Kx) > 0.16)
  Place(union { cone { P, 0.028, P + y * 0.06, 0.042 open } cylinder { P, P + y * 0.045, 0.034 }
    Paint(texture { pigment { rgb <0.35 + 0.3 * rand(Rc), 0.28, 0.2 + 0.2 * rand(Rc)> } finish { ambient 0 diffuse 0.8 specular 0.5 roughness 0.02 } }) })
  #end
  #local I = I + 1;
#end
// A rail, lanterns over the water, ferries that pass, the far bank.
Place(union { cylinder { <-3, 1.22, 3.4>, <3, 1.22, 3.4>, 0.022 } #local I = 0; #while (I < 7) cylinder { <-2.7 + I * 0.9, 0, 3.4>, <-2.7 + I * 0.9, 1.22, 3.4>, 0.022 } #local I = I + 1; #end Paint(Dark_Iron) })
#local I = 0;
#while (I < 9)
  #local U = I / 8;
  Lantern(<-2.2 + 4.4 * U, 2.05 - 0.34 * sin(pi * U), 5.4>, 0.075, rgb <1, 0.55 + 0.1 * sin(I * 2), 0.22>, 0)
  #local I = I + 1;
#end
Glow(<-0.5, 1.75, 0.2>, rgb <1, 0.72, 0.45>, 0.42, 1.6)
Glow(<0.9, 1.8, 2.2>, rgb <1, 0.6, 0.3>, 0.5, 1.8)
Ferry(<-2.6 + 0.35 * T, -0.7, 17>, 0.8, 6, 3)
Ferry(<6 - 0.4 * T, -0.7, 27>, 1.2, -8, 8)
#declare Rf = seed(41);
#local I = 0;
#while (I < 40)
  Spark(<-17 + rand(Rf) * 34, 0.4 + pow(rand(Rf), 2) * 6, 50 + rand(Rf) * 10>, 0.08 + 0.08 * rand(Rf), rgb <1, 0.55 + 0.35 * rand(Rf), 0.2 + 0.55 * rand(Rf)>, 5)
  #local I = I + 1;
#end
Place(union { #local I = 0; #while (I < 20) #local X0 = -22 + I * 2.2; box { <X0, -1, 62>, <X0 + 2.4, 1 + 5.5 * pow(rand(Rf), 2), 64> } #local I = I + 1; #end
  Paint(texture { pigment { rgb <0.045, 0.042, 0.06> } finish { ambient 0 diffuse 0.8 emission 0.3 } }) })
