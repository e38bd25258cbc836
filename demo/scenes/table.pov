// Tide table: a printed page pinned to wood, seen at an angle. One still, 2560 px wide.
#declare clock_water = 0;
#declare Cam_At = <0.05, 0.30, -0.30>;
#declare Cam_To = <0.0, 0, 0.06>;
#declare Focal_Length = 0.037;
#declare Near = 0.2;
#include "common.inc"
#if (Lit)
  light_source { <-0.7, 1.2, 0.5> rgb <1, 0.80, 0.58> * 1.05 area_light x * 0.25, z * 0.25, 5, 5 adaptive 1 jitter }
  light_source { <1.5, 1.0, -1.2> rgb <0.20, 0.26, 0.42> * 1.1 shadowless }
#end
Place(union { #local I = 0; #while (I < 12) box { <-0.9, -0.02, -0.5 + I * 0.12>, <0.9, -0.002, -0.5 + I * 0.12 + 0.117> } #local I = I + 1; #end
  Paint(texture { pigment { bozo scale <0.28, 0.02, 0.010> turbulence 0.3 color_map { [0 rgb <0.21, 0.12, 0.065>][0.5 rgb <0.15, 0.083, 0.045>][1 rgb <0.10, 0.055, 0.03>] } } finish { ambient 0 diffuse 0.85 specular 0.12 roughness 0.06 } normal { bozo 0.25 scale <0.2, 0.02, 0.004> } }) })
// The page: flat (its truth is a plane), 0.30 x 0.42 m, two thousandths of a metre above the wood.
Star(box { <0, 0, 0>, <1, 1, 0.001>
  Paint(texture { pigment { image_map { png "page.png" interpolate 2 once } } finish { ambient 0 diffuse 0.88 } })
  scale <0.30, 0.42, 1> translate <-0.15, -0.21, 0> rotate x * 90 rotate y * 7 translate <0, 0.001, 0.09> })
#macro Pin(P, C) Place(union { sphere { 0, 0.006 scale <1, 0.7, 1> translate P + y * 0.006 } cylinder { P, P + y * 0.005, 0.0035 } Paint(texture { pigment { rgb C } finish { ambient 0 diffuse 0.7 specular 0.7 roughness 0.01 } }) }) #end
#local I = 0; #while (I < 4) Pin(vrotate(<-0.14 + 0.28 * mod(I, 2), 0.001, -0.2 + 0.4 * floor(I / 2)>, y * 7) + <0, 0.001, 0.09>, rgb <0.5, 0.06, 0.04>) #local I = I + 1; #end
// A brass disc, a pencil, two tickets.
Place(cylinder { <0.235, 0, 0.02>, <0.235, 0.006, 0.02>, 0.035 Paint(texture { pigment { rgb <0.45, 0.30, 0.10> } finish { ambient 0 diffuse 0.5 specular 0.9 roughness 0.015 reflection 0.15 } }) })
Place(union { cylinder { <-0.25, 0.006, -0.10>, <-0.20, 0.006, 0.14>, 0.0045 Paint(texture { pigment { rgb <0.08, 0.17, 0.30> } finish { ambient 0 diffuse 0.7 specular 0.5 roughness 0.03 } }) } cone { <-0.25, 0.006, -0.10>, 0.0045, <-0.2535, 0.006, -0.117>, 0.0008 Paint(texture { pigment { rgb <0.6, 0.45, 0.28> } finish { ambient 0 diffuse 0.8 } }) } })
Place(box { <0.19, 0, 0.2>, <0.28, 0.0015, 0.245> Paint(texture { pigment { rgb <0.62, 0.40, 0.30> } finish { ambient 0 diffuse 0.85 } }) })
Place(box { <-0.3, 0, 0.26>, <-0.2, 0.0015, 0.31> Paint(texture { pigment { rgb <0.35, 0.48, 0.42> } finish { ambient 0 diffuse 0.85 } }) })
