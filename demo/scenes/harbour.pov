// Harbour from above: a high viewpoint; boats and carts move. 96 frames at 30000/1001 frames/s.
#ifndef (TIME) #declare TIME = clock; #end
#declare T = TIME;
#declare clock_water = T * 0.6;
#declare Cam_At = <4, 30, -34>;
#declare Cam_To = <1, 0, 9>;
#declare Focal_Length = 0.05;
#declare Near = 20;
#include "common.inc"
Dusk(2.0)

Place(plane { y, -0.5 Paint(texture { Water finish { reflection { 0.1, 0.45 fresnel off } } }) })
// Quay along the left and the back, a jetty to the right.
Place(union { box { <-60, -1, -40>, <-6, 0, 80> } box { <-60, -1, 34>, <80, 0, 90> } box { <-8, -1, 6>, <9, 0, 9.5> } box { <-8, -1, 22>, <14, 0, 25> } Paint(texture { Wet_Stone scale 3 }) })
#declare Rb = seed(23);
// Houses behind and on the left, with lit windows.
#macro House(P, W, D, H, Rot)
  #local Cc = rgb <0.24 + 0.2 * rand(Rb), 0.18 + 0.13 * rand(Rb), 0.14 + 0.12 * rand(Rb)>;
  Place(union {
    box { <-W, 0, -D>, <W, H, D> Paint(texture { pigment { rgb Cc } finish { ambient 0 diffuse 0.85 } }) }
    prism { linear_sweep linear_spline -D * 1.08, D * 1.08, 4, <-W * 1.1, 0>, <W * 1.1, 0>, <0, W * 0.85>, <-W * 1.1, 0> rotate x * -90 scale <1, 1, -1> translate y * H
      Paint(texture { pigment { rgb <0.26 + 0.12 * rand(Rb), 0.10, 0.07> } finish { ambient 0 diffuse 0.85 } }) }
    #local J = 0;
    #while (J < 6)
      #local Wx = -W * 0.62 + mod(J, 3) * W * 0.62; #local Wy = H * (0.22 + 0.42 * floor(J / 3));
      #local Em = select(rand(Rb) - 0.35, 0, 1.3);
      box { <Wx - W * 0.14, Wy, -D - 0.03>, <Wx + W * 0.14, Wy + H * 0.2, D + 0.03> Paint(texture { pigment { rgb <1, 0.64, 0.28> } finish { emission Em ambient 0 diffuse 0.15 } }) }
      #local J = J + 1;
    #end
    rotate y * Rot translate P })
#end
#local I = 0;
#while (I < 16)
  House(<-33 + I * 4.8 + rand(Rb), 0, 43 + 2 * rand(Rb)>, 1.9 + 0.3 * rand(Rb), 2, 2.6 + 2.6 * rand(Rb), 4 * (rand(Rb) - 0.5))
  House(<-32 + I * 4.8 + rand(Rb), 0, 52 + 2 * rand(Rb)>, 2, 2, 3.5 + 3.4 * rand(Rb), 4 * (rand(Rb) - 0.5))
  #local I = I + 1;
#end
#local I = 0; #while (I < 9) House(<-17 - 2 * rand(Rb), 0, -12 + I * 5.2>, 1.9, 2, 2.4 + 2 * rand(Rb), 90 + 4 * rand(Rb)) #local I = I + 1; #end
// Stalls and lantern strings along the quay.
#local I = 0;
#while (I < 14)
  #local P = <-8.6 - 1.2 * mod(I, 2), 0, -9 + I * 2.9>;
  Place(union {
    box { P + <-0.7, 0, -0.6>, P + <0.7, 0.8, 0.6> Paint(Old_Wood) }
    box { P + <-0.9, 1.5, -0.85>, P + <0.9, 1.62, 0.85> Paint(Cloth(<0.25 + 0.35 * rand(Rb), 0.08 + 0.2 * rand(Rb), 0.06 + 0.22 * rand(Rb)>)) }
    cylinder { P + <-0.8, 0, -0.75>, P + <-0.8, 1.5, -0.75>, 0.05 Paint(Old_Wood) } cylinder { P + <0.8, 0, -0.75>, P + <0.8, 1.5, -0.75>, 0.05 Paint(Old_Wood) } })
  Spark(P + <0.95, 1.3, -0.9>, 0.13, rgb <1, 0.6, 0.25>, 3)
  #if (mod(I, 3) = 0) Glow(P + <0.9, 1.6, 0>, rgb <1, 0.6, 0.28>, 1.8, 5) #end
  #local I = I + 1;
#end
#local I = 0;
#while (I < 26)
  Spark(<-6.4, 2.1 - 0.5 * abs(sin(I * 0.5)), -12 + I * 1.7>, 0.11, rgb <1, 0.55 + 0.15 * sin(I), 0.22>, 3.4)
  #if (I < 18) Spark(<-6 + I * 0.8, 1.6 - 0.35 * abs(sin(I * 0.6)), 6.2>, 0.1, rgb <1, 0.62, 0.3>, 3.2) #end
  #local I = I + 1;
#end
Glow(<2, 3, 7.5>, rgb <1, 0.6, 0.3>, 1.6, 7) Glow(<-2, 4, 30>, rgb <1, 0.6, 0.3>, 1.6, 9)
// Boats: a ferry (the subject), rowing boats, and more at the jetties.
#macro Boat(P, S, Turn, Col)
  #local C = rgb Col;
  Place(union {
    difference { sphere { 0, 1 scale <1.5, 0.55, 0.55> } box { <-2, 0.05, -1>, <2, 1, 1> } sphere { 0, 1 scale <1.38, 0.42, 0.46> translate y * 0.06 } Paint(texture { pigment { C } finish { ambient 0 diffuse 0.8 specular 0.2 } }) }
    box { <-0.2, -0.15, -0.42>, <0.1, -0.08, 0.42> Paint(Old_Wood) } box { <0.6, -0.15, -0.34>, <0.8, -0.08, 0.34> Paint(Old_Wood) }
    sphere { <-0.5, 0.16, 0>, 0.16 Paint(Cloth(<0.2, 0.14, 0.1>)) } cylinder { <-0.5, -0.2, 0>, <-0.5, 0.12, 0>, 0.17 Paint(Cloth(<C.blue, C.red, C.green>)) }
    scale S rotate y * Turn translate P })
  Spark(P + vrotate(<1.2, 0.5, 0> * S, y * Turn), 0.08 * S, rgb <1, 0.7, 0.35>, 3.5)
#end
#macro Passenger_Ferry(P, Turn)
  union {
    prism { linear_spline -0.4, 0.9, 7, <-3.2, -0.95>, <2.6, -0.95>, <3.7, 0>, <2.6, 0.95>, <-3.2, 0.95>, <-3.5, 0>, <-3.2, -0.95> Paint(texture { pigment { rgb <0.10, 0.16, 0.26> } finish { ambient 0 diffuse 0.8 specular 0.2 } }) }
    box { <-3.1, 0.9, -0.9>, <2.5, 0.94, 0.9> Paint(Old_Wood) }
    box { <-2.6, 0.9, -0.7>, <1.6, 1.55, 0.7> Paint(texture { pigment { rgb <0.55, 0.52, 0.46> } finish { ambient 0 diffuse 0.8 } }) }
    box { <-1.9, 1.55, -0.55>, <0.8, 2.05, 0.55> Paint(texture { pigment { rgb <0.60, 0.57, 0.50> } finish { ambient 0 diffuse 0.8 } }) }
    cylinder { <-0.9, 2.05, 0>, <-1.0, 3.0, 0>, 0.27 Paint(texture { pigment { rgb <0.55, 0.10, 0.06> } finish { ambient 0 diffuse 0.8 } }) }
    #local J = 0; #while (J < 8) box { <-2.4 + J * 0.5, 1.1, -0.72>, <-2.1 + J * 0.5, 1.38, 0.72> Paint(texture { pigment { rgb <1, 0.72, 0.38> } finish { emission 1.6 ambient 0 diffuse 0 } }) } #local J = J + 1; #end
    #local J = 0; #while (J < 7) sphere { <-2.8 + J * 0.85, 2.3 - 0.05 * abs(J - 3), 0>, 0.09 Paint(texture { pigment { rgb <1, 0.75, 0.4> } finish { emission 3.2 ambient 0 diffuse 0 } }) } #local J = J + 1; #end
    rotate y * Turn translate P }
#end
Star(object { Passenger_Ferry(<-0.6 + 1.15 * T, -0.3, 15.3 - 0.2 * T>, 10) })
Boat(<4.2 - 0.75 * T, -0.42, 1.2 + 0.25 * T>, 0.9, 197, <0.42, 0.12, 0.07>)
Boat(<-2.5 + 0.5 * T, -0.42, -2.6>, 0.8, 4, <0.14, 0.26, 0.2>)
Boat(<9.5 - 0.6 * T, -0.42, 12.6>, 0.9, 172, <0.5, 0.36, 0.12>)
Boat(<12 - 0.35 * T, -0.42, 20.4 - 0.1 * T>, 0.9, 190, <0.16, 0.2, 0.34>)
#local I = 0; #while (I < 9) Boat(<-3.2 + I * 1.35, -0.42, 10.6 + 0.1 * sin(I * 3) + 0.02 * sin(T * 2 + I)>, 0.62, 62 + 5 * sin(I), <0.2 + 0.25 * rand(Rb), 0.12 + 0.14 * rand(Rb), 0.1 + 0.16 * rand(Rb)>) #local I = I + 1; #end
#local I = 0; #while (I < 7) Boat(<1 + I * 1.7, -0.42, 26.3 + 0.1 * sin(I * 2)>, 0.7, 70 + 6 * sin(I * 2), <0.2 + 0.25 * rand(Rb), 0.14, 0.1 + 0.2 * rand(Rb)>) #local I = I + 1; #end
// Carts and people.
#macro Cart(P, Turn, Col)
  #local C = rgb Col;
  Place(union {
    box { <-0.6, 0.35, -0.35>, <0.6, 0.75, 0.35> Paint(texture { pigment { C } finish { ambient 0 diffuse 0.8 } }) }
    cylinder { <-0.3, 0.3, -0.4>, <-0.3, 0.3, 0.4>, 0.3 Paint(Old_Wood) } cylinder { <0.9, 0.5, 0.25>, <0.4, 0.5, 0.25>, 0.03 Paint(Old_Wood) }
    cylinder { <1.1, 0, 0>, <1.1, 1.1, 0>, 0.18 Paint(Cloth(<C.green, C.blue, C.red>)) } sphere { <1.1, 1.28, 0>, 0.17 Paint(texture { pigment { rgb <0.5, 0.32, 0.22> } finish { ambient 0 diffuse 0.8 } }) }
    rotate y * Turn translate P })
  Spark(P + <0, 1.0, 0>, 0.1, rgb <1, 0.65, 0.3>, 3)
#end
Cart(<-12.2, 0, -4 + 1.1 * T>, -90, <0.5, 0.2, 0.1>)
Cart(<-7, 0, 20 - 0.9 * T>, 90, <0.2, 0.3, 0.45>)
Cart(<-4 + 1.0 * T, 0, 7.7>, 0, <0.45, 0.34, 0.12>)
Cart(<6 - 0.8 * T, 0, 23.4>, 180, <0.3, 0.12, 0.3>)
Cart(<-10 + 0.9 * T, 0, 37>, 0, <0.2, 0.32, 0.2>)
#local I = 0;
#while (I < 34)
  #local P = <-6.6 - 5 * rand(Rb), 0, -8 + 40 * rand(Rb)> + <0, 0, 0.5 * T * (mod(I, 3) - 1)>;
  Place(union { cone { P, 0.2, P + y * 0.95, 0.13 Paint(Cloth(<0.1 + 0.4 * rand(Rb), 0.1 + 0.2 * rand(Rb), 0.1 + 0.3 * rand(Rb)>)) } sphere { P + y * 1.08, 0.15 Paint(texture { pigment { rgb <0.5, 0.32, 0.22> } finish { ambient 0 diffuse 0.8 } }) } })
  #local I = I + 1;
#end
