package follow
import ("testing";"context";"celator/internal/media";"celator/core/geom";"celator/core/track")
func BenchmarkTrike(b *testing.B){
 p:="../../.run/media/tidewrack-week/quay-trike/clip.mp4"
 i,err:=media.Probe(context.Background(),p); if err!=nil{b.Fatal(err)}
 for b.Loop(){ Run(context.Background(),Job{Clip:media.Clip{Path:p,Info:i},Outline:[]geom.Point{{638.93,580.68},{789.13,576.5},{788.84,626.56},{638.76,632.53}},Model:track.Perspective,Reference:150,To:199,Found:func(int,track.Pose){}}) }
}
